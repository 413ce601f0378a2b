"""Batches: many pictures through one treatment, unattended; nothing lost, nothing made twice."""

import os
import signal
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.core.files import File
from django.db import connection

from enamel.batches import feeding, folders
from enamel.batches import services as batches
from enamel.batches.models import Batch, BatchItem
from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.finishing.recipe import Finish, Grain
from enamel.core.intake.subject import Subject
from enamel.core.pipeline import touchup
from enamel.core.pipeline.treatment import ForKind, RequestedFile, Treatment
from enamel.core.schedule import Coat, Schedule
from enamel.firings import queue, run
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import services as library
from enamel.library.models import Layer, Piece
from enamel.prints.models import PrintFile
from tests.firings.test_firings import carried_out, pixels_of
from tests.pictures import STATIONMASTER, assert_same_pixels
from tests.schedules import coat
from tests.workers import carry_out, wait_for, worker

SMALL = (64, 48)
QUICK = coat(steps=1)


@pytest.fixture
def incoming(tmp_path: Path, settings: object) -> Path:
    """The workshop's folder of pictures to come, with a folder for posters."""
    settings.INCOMING = tmp_path / "incoming"  # type: ignore[attr-defined]
    folder = tmp_path / "incoming" / "posters"
    folder.mkdir(parents=True)
    return folder


@pytest.fixture
def pictures(artist: User, tmp_path: Path) -> Callable[[int], list[Piece]]:
    """So many pieces of different small parts of the stationmaster."""

    def brought(count: int) -> list[Piece]:
        return [bring(artist, small_part(tmp_path / f"part-{n}.png", n)) for n in range(count)]

    return brought


def small_part(path: Path, number: int) -> Path:
    left, top = 200 + 40 * (number % 8), 150 + 30 * (number // 8)
    with PIL.Image.open(STATIONMASTER) as image:
        image.crop((left, top, left + SMALL[0], top + SMALL[1])).save(path)
    return path


def bring(artist: User, path: Path) -> Piece:
    with path.open("rb") as file:
        return library.import_picture(artist, File(file), path.name)


def at_work(batch: Batch, rounds: int = 40) -> Batch:
    """Feed the kiln and do what it has to do, until the batch is done with."""
    for _ in range(rounds):
        feeding.feed()
        for firing in Firing.objects.open():
            carry_out(firing)
        for made in PrintFile.objects.open():
            carry_out(made)
        batch.refresh_from_db()
        if batch.ended:
            return batch
    pytest.fail(f"not ended: {[str(item.state) for item in batch.items.with_all()]}")


def states(batch: Batch) -> list[str]:
    return [str(item.state) for item in batch.items.with_all()]


def test_every_step_is_the_same_as_by_hand(piece: Piece, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(touchup, "FACE_AT_WORK", 64)  # faces at their own size, which is quicker
    piece.faces_kept = [[20, 12, 50, 62, 3.0]]
    piece.save()
    finish = Finish(grain=Grain(on=True))
    treatment = Treatment(QUICK, words=False, faces=True, strength=0.3, finish=finish)
    batch = at_work(batches.start(piece.owner, "posters", treatment, [piece]))
    result = batch.items.get().fired
    assert result is not None
    kinds = [layer.kind for layer in result.chain]
    assert kinds[-3:] == [Layer.Kind.COAT, Layer.Kind.TOUCH_UP, Layer.Kind.FINISH]
    twin = library.duplicate(piece)
    twin.faces_kept = piece.faces_kept
    twin.save()
    coated = carried_out(firings.enqueue_schedule(twin.base, QUICK)).result
    assert coated is not None
    _, mending, _ = feeding.steps_for(twin, treatment)
    mended = carried_out(firings.enqueue_touch_up(coated, mending)).result  # type: ignore[arg-type]
    assert mended is not None
    finished = carried_out(firings.enqueue_finish(mended, finish)).result
    assert finished is not None
    assert_same_pixels(pixels_of(result), pixels_of(finished))


def test_each_picture_goes_by_the_rule_of_its_kind(pictures: Callable[[int], list[Piece]]) -> None:
    photo, drawing = pictures(2)
    Piece.objects.filter(pk=drawing.pk).update(subject=Subject.DRAWING)
    Piece.objects.filter(pk=photo.pk).update(subject=Subject.PHOTO)
    plain = Schedule((Coat(factor=3.0, upscaler="lanczos", refine=None),))
    treatment = Treatment(QUICK, (ForKind(Subject.DRAWING, plain),))
    chosen = [Piece.objects.get(pk=one.pk) for one in (photo, drawing)]
    batch = at_work(batches.start(photo.owner, "both", treatment, chosen))
    sizes = [item.fired.size for item in batch.items.with_all() if item.fired]
    assert [tuple(size) for size in sizes] == [(128, 96), (192, 144)]


def test_one_that_fails_stops_itself_only_and_is_tried_again(
    pictures: Callable[[int], list[Piece]], monkeypatch: pytest.MonkeyPatch
) -> None:
    pieces = pictures(3)
    batch = batches.start(pieces[0].owner, "three", Treatment(QUICK), pieces)
    real = run.fire

    def broken(start: object, *arguments: object, **named: object) -> object:
        if BatchItem.objects.get(piece=pieces[1]).firing.state == Firing.State.RUNNING:  # type: ignore[union-attr]
            raise OSError("the disk says no")
        return real(start, *arguments, **named)  # type: ignore[arg-type]

    with monkeypatch.context() as patch:
        patch.setattr(run, "fire", broken)
        at_work(batch)
    assert states(batch) == ["done", "failed", "done"]
    item = batch.items.with_all().get(piece=pieces[1])
    assert "the disk says no" in item.reason
    batches.again(item)
    at_work(batch)
    assert states(batch) == ["done", "done", "done"]


def test_a_model_that_is_missing_is_the_reason_and_the_others_are_fired(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(2)
    (good,) = QUICK.coats
    assert good.refine is not None
    gone = Schedule((replace(good, refine=replace(good.refine, model="gone-fine")),))
    pieces[0].keep_schedule(gone)
    pieces[1].keep_schedule(QUICK)
    assert len(batches.cost(pieces, Treatment()).refused) == 1
    batch = at_work(batches.start(pieces[0].owner, "own", Treatment(), pieces))
    assert states(batch) == ["failed", "done"]
    assert "gone-fine" in batch.items.with_all()[0].reason


def test_pictures_are_moved_skipped_and_restored(pictures: Callable[[int], list[Piece]]) -> None:
    pieces = pictures(4)
    batch = batches.start(pieces[0].owner, "four", Treatment(QUICK), pieces)
    items = list(batch.items.with_all())
    batches.move(items[3], -3)
    batches.move(items[0], 1)
    batches.skip(items[2])
    assert [item.piece for item in batch.items.waiting()] == [pieces[3], pieces[1], pieces[0]]
    at_work(batch)
    ended = {item.piece: str(item.state) for item in batch.items.with_all()}
    assert ended[pieces[2]] == "skipped"
    assert list(ended.values()).count("done") == 3
    began = [item.piece for item in batch.items.exclude(begun=None).order_by("begun")]
    assert began == [pieces[3], pieces[1], pieces[0]]
    with pytest.raises(Refusal, match="does not wait"):
        batches.move(batch.items.with_all().get(piece=pieces[0]), 1)
    batches.again(batch.items.with_all().get(piece=pieces[2]))
    assert states(at_work(batch)).count("done") == 4


def test_a_paused_batch_begins_nothing_and_resumes_where_it_was(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(3)
    batch = batches.start(pieces[0].owner, "three", Treatment(QUICK), pieces)
    feeding.feed()
    batches.pause(batch)
    feeding.feed()
    assert set(states(batch)) == {"paused"}
    assert not queue.in_order()
    batches.resume(batch)
    at_work(batch)
    assert set(states(batch)) == {"done"}


def test_ending_skips_what_waits_and_keeps_what_is_done(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(2)
    batch = batches.start(pieces[0].owner, "two", Treatment(QUICK), pieces)
    feeding.feed()
    carry_out(Firing.objects.open().earliest("created"))
    batches.end(batch)
    feeding.feed()
    assert states(batch) == ["done", "skipped"]
    assert not Firing.objects.open().exists()


def test_a_piece_that_was_deleted_meanwhile_is_not_fired(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(2)
    batch = batches.start(pieces[0].owner, "two", Treatment(QUICK), pieces)
    library.delete_pieces(pieces[:1])
    at_work(batch)
    assert states(batch) == ["failed", "done"]
    assert "deleted" in batch.items.with_all()[0].reason


def test_the_kiln_gets_a_few_at_a_time_and_the_urgent_ones_first(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(6)
    behind = batches.start(pieces[0].owner, "behind", Treatment(QUICK), pieces[:5])
    feeding.feed()
    assert Firing.objects.open().count() == 1 + feeding.AHEAD
    single = firings.enqueue_schedule(pieces[5].base, QUICK)
    assert queue.in_order()[0].firing == single, "a batch that is in no hurry waits behind others"
    batches.set_urgency(behind, Batch.Urgency.BEFORE)
    assert queue.in_order()[-1].firing == single


def test_print_files_of_each_result_are_written_once(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(2)
    asked = RequestedFile(PrintSettings(Output(FileFormat.PNG)), False, "{title}-poster")
    batch = at_work(batches.start(pieces[0].owner, "p", Treatment(QUICK, files=(asked,)), pieces))
    assert states(batch) == ["done", "done"]
    for item in batch.items.all():
        (made,) = item.files.all()
        assert made.name == f"{item.piece.title}-poster.png"  # type: ignore[union-attr]
        with made.file.open("rb") as file, PIL.Image.open(file) as image:
            assert image.size == (2 * SMALL[0], 2 * SMALL[1])
    feeding.feed()
    assert PrintFile.objects.count() == 2
    only = RequestedFile(PrintSettings(Output(FileFormat.JPEG)), False, "{title}-again")
    again = batches.start(pieces[0].owner, "f", Treatment(coats=False, files=(only,)), pieces)
    assert states(at_work(again)) == ["done", "done"]
    assert PrintFile.objects.count() == 4


def test_a_batch_without_pictures_or_with_too_many_is_refused(artist: User, incoming: Path) -> None:
    with pytest.raises(Refusal, match="at least one"):
        batches.start(artist, "none", Treatment(QUICK), [])
    with pytest.raises(Refusal, match="no picture"):
        batches.start(artist, "none", Treatment(QUICK), folder="posters")
    with pytest.raises(Refusal, match="no folder"):
        batches.start(artist, "none", Treatment(QUICK), folder="../..")
    assert not Batch.objects.exists()


def test_files_of_a_folder_are_imported_when_they_are_whole(
    artist: User, incoming: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    now = time.time()
    monkeypatch.setattr(folders.time, "time", lambda: now)
    small_part(incoming / "a.png", 1)
    (incoming / "no picture.txt").write_text("no picture")
    small_part(incoming / ".hidden.png", 2)
    batch = batches.start(artist, "posters", Treatment(QUICK), folder="posters", watched=True)
    whole = small_part(incoming.parent / "b.png", 3).read_bytes()
    growing = incoming / "b.png"
    growing.write_bytes(whole[:400])
    folders.look(batch)
    assert not batch.items.exists()
    now += 2
    growing.write_bytes(whole[:900])
    folders.look(batch)
    now += 2
    folders.look(batch)
    assert [item.source for item in batch.items.all()] == ["a.png"]
    growing.write_bytes(whole)
    folders.look(batch)
    now += 4
    folders.look(batch)
    assert [item.source for item in batch.items.all()] == ["a.png", "b.png"]
    folders.look(batch)
    assert batch.items.count() == 2
    os.utime(growing, (now + 9, now + 9))
    folders.look(batch)
    now += 4
    folders.look(batch)
    assert batch.items.count() == 3, "a file that changed is another picture"
    assert batch.looking


def test_a_folder_that_is_not_watched_ends_and_a_bad_file_stops_only_itself(
    artist: User, incoming: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(folders, "WHOLE_SECONDS", 0.0)
    small_part(incoming / "a.png", 1)
    (incoming / "b.png").write_bytes(b"no picture at all")
    batch = at_work(batches.start(artist, "posters", Treatment(QUICK), folder="posters"))
    assert states(batch) == ["done", "failed"]
    assert not batch.looking
    assert "picture" in batch.items.with_all()[1].reason
    assert Piece.objects.count() == 1
    assert (incoming / "a.png").exists(), "files stay where they are"


@pytest.mark.django_db(transaction=True)
def test_unattended_with_two_kills_in_between_all_are_there_and_none_twice(
    pictures: Callable[[int], list[Piece]],
) -> None:
    pieces = pictures(8)
    batch = batches.start(pieces[0].owner, "eight", Treatment(QUICK), pieces)
    at_work = worker()
    try:
        for done in (2, 5):
            wait_for(
                lambda done=done: Firing.objects.filter(state=Firing.State.DONE).count() >= done,  # type: ignore[misc]
                240, f"{done} firings",
            )  # fmt: skip
            at_work.send_signal(signal.SIGKILL)
            at_work.wait(30)
            at_work = worker()
        wait_for(lambda: Batch.objects.get(pk=batch.pk).ended is not None, 300, "the batch's end")
    finally:
        at_work.terminate()
        at_work.wait(30)
    assert states(batch) == ["done"] * 8
    coats = Layer.objects.filter(kind=Layer.Kind.COAT)
    assert coats.count() == len(set(coats.values_list("piece_id", "content_key"))) == 8
    assert Firing.objects.count() == 8


def test_a_batch_that_is_paused_in_between_begins_no_picture(
    pictures: Callable[[int], list[Piece]], monkeypatch: pytest.MonkeyPatch
) -> None:
    (piece,) = pictures(1)
    batch = batches.start(piece.owner, "posters", Treatment(schedule=QUICK), [piece])
    steps_for = feeding.steps_for

    def meanwhile(*given: object) -> object:
        batches.pause(batch)
        return steps_for(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(feeding, "steps_for", meanwhile)
    feeding.feed()
    assert not Firing.objects.exists()
    assert batch.items.waiting().count() == 1
    monkeypatch.setattr(feeding, "steps_for", steps_for)
    batches.resume(batch)
    assert at_work(batch).items.get().fired is not None


def test_no_transaction_is_held_while_a_picture_is_decoded(
    artist: User, incoming: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(folders, "WHOLE_SECONDS", 0.0)
    small_part(incoming / "a.png", 1)
    depths: list[int] = []
    outside = len(connection.savepoint_ids)
    read = library.read_in_sandbox

    def watched(*given: object) -> object:
        depths.append(len(connection.savepoint_ids))
        return read(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(library, "read_in_sandbox", watched)
    batch = batches.start(artist, "posters", Treatment(schedule=QUICK), folder="posters")
    at_work(batch)
    assert depths == [outside]
