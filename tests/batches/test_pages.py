"""The pages of the kiln and of batches."""

import csv
import io
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.batches import feeding
from enamel.batches import services as batches
from enamel.batches.forms import BatchForm
from enamel.batches.models import Batch
from enamel.core.finishing.recipe import Finish, Grain
from enamel.core.pipeline.treatment import Treatment
from enamel.finishing.models import FinishPreset
from enamel.firings import queue
from enamel.firings import services as firings
from enamel.firings.models import Firing, SchedulePreset, Timing
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.prints.forms import PrintFileForm
from enamel.prints.models import OutputPreset
from tests.schedules import coat
from tests.workers import carry_out, record_heartbeat


def given(*pieces: Piece, **changes: Any) -> dict[str, Any]:
    """What a browser sends for a batch of pieces."""
    plain = {
        name: value for name, value in BatchForm.starting().items() if value not in (None, False)
    }
    return plain | {
        "from": "pieces", "name": "Autumn posters", "piece": [str(piece.pk) for piece in pieces],
    } | changes  # fmt: skip


@pytest.fixture
def preset(piece: Piece) -> SchedulePreset:
    return SchedulePreset.objects.create(
        owner=piece.owner, name="Quick", schedule=coat(steps=1).to_json()
    )


def page(client: Client, name: str, *arguments: Any, **asked: Any) -> str:
    answer = client.get(reverse(name, args=arguments), asked)
    assert answer.status_code == 200
    return " ".join(answer.content.decode().split())


def test_what_a_batch_would_take_is_shown_before_it_is_begun(
    signed_in: Client, piece: Piece, preset: SchedulePreset
) -> None:
    twin = library.duplicate(piece)
    one = signed_in.post(reverse("batch-cost"), given(piece, schedule=preset.pk)).content.decode()
    two = signed_in.post(
        reverse("batch-cost"), given(piece, twin, schedule=preset.pk)
    ).content.decode()
    assert ">1</span> picture," in one
    assert ">9</span> tiles" in one
    assert ">2</span> pictures," in two
    assert ">18</span> tiles" in two
    assert not Timing.objects.exists()
    assert not Batch.objects.exists()


def test_a_batch_holds_all_that_was_chosen(
    signed_in: Client, piece: Piece, preset: SchedulePreset
) -> None:
    finish = FinishPreset.objects.create(
        owner=piece.owner, name="Grain", recipe=Finish(grain=Grain(on=True)).to_json()
    )
    kept = OutputPreset.objects.create(
        owner=piece.owner, name="TIFF", form=PrintFileForm.starting()
    )
    sent = given(
        piece, schedule="none", kind_drawing=preset.pk, faces="on", strength="0.3",
        finish=finish.pk, outputs=[kept.pk], urgency=10,
    )  # fmt: skip
    answer = signed_in.post(reverse("start-batch"), sent)
    batch = Batch.objects.get()
    assert answer.url == reverse("batch", args=[batch.pk])
    treatment = batch.as_treatment()
    assert not treatment.coats
    assert treatment.kinds[0].schedule == coat(steps=1)
    assert (treatment.faces, treatment.strength) == (True, 0.3)
    assert treatment.finish is not None
    assert treatment.finish.grain.on
    assert treatment.files[0].on_print
    assert batch.urgency == 10
    assert [item.piece for item in batch.items.all()] == [piece]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"piece": []}, "at least one picture"),
        ({"name": ""}, "This field is required"),
        ({"schedule": "none"}, "nothing would be done"),
        ({"faces": "on", "strength": "7"}, "less than or equal to 1"),
        ({"from": "folder", "folder": "nowhere"}, "Select a valid choice"),
    ],
)
def test_what_can_not_be_begun_is_reported_and_what_was_chosen_stays(
    signed_in: Client, piece: Piece, changes: dict[str, Any], words: str
) -> None:
    answer = signed_in.post(reverse("start-batch"), given(piece, **changes))
    text = answer.content.decode()
    assert answer.status_code == 422
    assert words in text
    assert ("checked" in text.split(f'value="{piece.pk}"')[1][:20]) == ("piece" not in changes)
    assert not Batch.objects.exists()


def test_another_artists_pieces_are_left_out(
    signed_in: Client, piece: Piece, stranger: User, preset: SchedulePreset
) -> None:
    theirs = library.duplicate(piece)
    Piece.objects.filter(pk=theirs.pk).update(owner=stranger)
    signed_in.post(reverse("start-batch"), given(piece, theirs, schedule=preset.pk))
    assert [item.piece for item in Batch.objects.get().items.all()] == [piece]


@pytest.fixture
def fired(signed_in: Client, piece: Piece) -> Batch:
    """A batch of three of which one is done, one failed and one waits."""
    twins = [library.duplicate(piece) for _ in range(2)]
    batch = batches.start(piece.owner, "Autumn posters", Treatment(coat(steps=1)), [piece, *twins])
    feeding.feed()
    first, second, third = Firing.objects.order_by("created")
    carry_out(first)
    Firing.objects.filter(pk=second.pk).update(state=Firing.State.FAILED, error="The disk is full.")
    Firing.objects.filter(pk=third.pk).delete()
    batch.items.filter(piece=twins[1]).update(begun=None)
    return batch


def test_sources_stand_beside_results_and_what_went_wrong_is_reported(
    signed_in: Client, fired: Batch
) -> None:
    text = page(signed_in, "batch", fired.pk)
    assert ">1</span> of <span" in text
    assert "1 failed" in text
    assert "The disk is full." in text
    assert "Try again" in text
    done = fired.items.with_all()[0]
    assert f"show={done.piece.base.pk},{done.fired.pk}" in text.replace("&amp;", "&")
    only = page(signed_in, "batch", fired.pk, part=1, only="failed")
    assert only.count("<li ") == 1
    assert "The disk is full." in only


def test_a_picture_is_tried_again_skipped_and_moved_from_the_page(
    signed_in: Client, fired: Batch
) -> None:
    _, failed, waits = fired.items.all()
    change = lambda item, **what: signed_in.post(  # noqa: E731
        reverse("change-batch-item", args=[item.pk]), what
    )
    change(failed, do="again")
    failed.refresh_from_db()
    assert failed.firing.state == Firing.State.WAITING
    change(waits, do="skip")
    assert fired.items.get(pk=waits.pk).skipped
    answer = signed_in.post(
        reverse("change-batch-item", args=[waits.pk]), {"steps": "-1"}, follow=True
    )
    assert "can&#x27;t be moved" in answer.content.decode()


def test_a_batch_is_paused_hurried_and_ended_from_its_page(signed_in: Client, fired: Batch) -> None:
    change = reverse("change-batch", args=[fired.pk])
    signed_in.post(change, {"do": "pause"})
    assert "paused" in page(signed_in, "batch", fired.pk)
    signed_in.post(change, {"do": "resume"})
    signed_in.post(change, {"urgency": "10"})
    fired.refresh_from_db()
    assert (fired.paused, fired.urgency) == (False, 10)
    signed_in.post(change, {"urgency": "7000"})
    fired.refresh_from_db()
    assert fired.urgency == 10
    signed_in.post(change, {"do": "end"})
    fired.refresh_from_db()
    assert fired.ended is not None
    assert "ended" in page(signed_in, "batch", fired.pk)


def test_the_table_tells_what_came_of_each(signed_in: Client, fired: Batch) -> None:
    answer = signed_in.get(reverse("batch-table", args=[fired.pk]))
    assert "Autumn" in answer.headers["Content-Disposition"]
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    assert [row["state"] for row in rows] == ["done", "failed", "waiting"]
    assert (rows[0]["width"], rows[0]["height"]) == ("224", "176")
    assert float(rows[0]["seconds"]) > 0
    assert rows[1]["reason"] == "The disk is full."


def test_pairs_are_walked_on_the_comparing_bench(signed_in: Client, piece: Piece) -> None:
    twin = library.duplicate(piece)
    batch = batches.start(piece.owner, "Autumn posters", Treatment(coat(steps=1)), [piece, twin])
    feeding.feed()
    for firing in Firing.objects.open():
        carry_out(firing)
    text = page(signed_in, "compare", piece.pk, batch=str(batch.pk))
    assert "1 of 2" in text
    assert "Pair before" not in text.split("<main")[0]
    assert f"pieces/{twin.pk}/compare/?show=" in text
    assert (
        "Pair before" in page(signed_in, "compare", twin.pk, batch=str(batch.pk)).split("<main")[0]
    )
    assert "of 2" not in page(signed_in, "compare", piece.pk, batch="nonsense").split("<main")[0]


def test_the_kilns_page_shows_what_runs_waits_failed_and_who_works(
    signed_in: Client, piece: Piece, stranger: User
) -> None:
    assert "No worker is running for firings" in page(signed_in, "kiln")
    record_heartbeat("firings")
    first, second, third = (
        firings.enqueue_schedule(piece.base, coat(steps=1, seed=n)) for n in range(3)
    )
    Firing.objects.filter(pk=first.pk).update(state=Firing.State.RUNNING, seconds_left=75, total=9)
    Firing.objects.filter(pk=second.pk).update(state=Firing.State.FAILED, error="The disk is full.")
    theirs = library.duplicate(piece)
    Piece.objects.filter(pk=theirs.pk).update(owner=stranger, title="A secret piece")
    other = firings.enqueue_schedule(theirs.base, coat(steps=1))
    text = page(signed_in, "kiln")
    assert "No worker is running for firings" not in text
    assert "No worker is running for swatches and candidates, nor files, checks, models." in text
    assert "75 s</span> left" in text
    assert "The disk is full." in text
    assert "Another artist's schedule" in text
    assert "A secret piece" not in text
    assert "tower" in text
    assert "begins in about 75 s" in text
    move = reverse("move-firing", args=[third.pk])
    fourth = firings.enqueue_schedule(piece.base, coat(steps=1, seed=9))
    assert signed_in.post(move, {"steps": "1"}).status_code == 302
    assert [place.firing for place in queue.in_order()] == [fourth, other, third]


def test_stopping_from_the_kilns_page_leads_back_there(signed_in: Client, piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat(steps=1))
    stop = reverse("stop-firing", args=[firing.pk])
    assert signed_in.post(stop, {"next": reverse("kiln")}).url == reverse("kiln")
    assert (
        signed_in.post(stop, {"next": "https://elsewhere.example/"}).url == piece.get_absolute_url()
    )


def test_a_few_queries_make_each_page_however_many_pictures(
    signed_in: Client, piece: Piece, django_assert_max_num_queries: Callable[[int], Any]
) -> None:
    twins = [library.duplicate(piece) for _ in range(12)]
    batch = batches.start(piece.owner, "many", Treatment(coat(steps=1)), twins)
    feeding.feed()
    with django_assert_max_num_queries(16):
        page(signed_in, "batch", batch.pk)
    with django_assert_max_num_queries(26):
        page(signed_in, "kiln")
    with django_assert_max_num_queries(20):
        page(signed_in, "batches")
