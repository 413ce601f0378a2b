"""What can't be used is said in a sentence, on a page that still works: never a stack trace."""

from dataclasses import replace

import pytest
from django.test import Client
from django.urls import reverse

from enamel.core.schedule import Coat, Refine, Schedule
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library.models import Piece
from tests.workers import record_heartbeat

pytestmark = pytest.mark.django_db


def came_from(piece: Piece) -> dict[str, str]:
    return {"Referer": f"http://testserver{piece.get_absolute_url()}?task=coat"}


def fired(piece: Piece, state: str) -> Firing:
    firing = firings.enqueue_schedule(piece.base, piece.schedule)
    firing.state = state
    firing.save(update_fields=["state"])
    return firing


def without_its_models(piece: Piece) -> Piece:
    """The piece with a schedule whose upscaler and refiner are not available any more."""
    coat = Coat(factor=2.0, upscaler="gone-up", refine=Refine(model="gone-fine"))
    piece.schedule_kept = Schedule((coat,)).to_json()
    piece.save(update_fields=["schedule_kept"])
    return piece


@pytest.mark.parametrize("task", ["coat", "print", "touch-up", "file", "base", "checks"])
def test_a_piece_whose_models_are_gone_still_opens_and_says_so(
    signed_in: Client, piece: Piece, task: str
) -> None:
    without_its_models(piece)
    answer = signed_in.get(piece.get_absolute_url(), {"task": task})
    assert answer.status_code == 200
    if task == "coat":
        assert "named &#x27;gone-" in answer.content.decode()


def test_a_piece_whose_models_are_gone_is_repaired_by_choosing_another(
    signed_in: Client, piece: Piece
) -> None:
    without_its_models(piece)
    page = signed_in.get(piece.get_absolute_url(), {"task": "coat"}).context["form"]
    sent = {name: page[name].value() for name in page.fields if page[name].value() is not None}
    sent |= {"upscaler": "lanczos", "model": "grisaille", "coat": "0", "do": "save"}
    answer = signed_in.post(reverse("schedule", args=[piece.pk]), sent)
    assert answer.status_code == 302
    piece.refresh_from_db()
    assert piece.schedule.coats[0].upscaler == "lanczos"
    assert signed_in.get(piece.get_absolute_url()).status_code == 200


@pytest.mark.parametrize("address", ["print", "use-plan"])
@pytest.mark.parametrize("wrong", [{"width": "abc"}, {"ppi": "-1"}, {"growth": "many"}, {}])
def test_a_wrong_field_under_print_is_shown_beside_it(
    signed_in: Client, piece: Piece, address: str, wrong: dict[str, str]
) -> None:
    answer = signed_in.post(reverse(address, args=[piece.pk]), wrong | {"layer": piece.base.pk})
    assert answer.status_code in (200, 422)
    assert "Traceback" not in answer.content.decode()


def test_going_on_twice_is_no_fault(signed_in: Client, piece: Piece) -> None:
    firing = fired(piece, Firing.State.STOPPED)
    for _ in range(2):
        answer = signed_in.post(
            reverse("resume-firing", args=[firing.pk]), follow=True, headers=came_from(piece)
        )
        assert answer.status_code == 200
    assert "it can&#x27;t be resumed" in answer.content.decode()


def test_putting_a_running_firing_away_is_refused_in_words(signed_in: Client, piece: Piece) -> None:
    firing = fired(piece, Firing.State.RUNNING)
    answer = signed_in.post(
        reverse("dismiss-firing", args=[firing.pk]), follow=True, headers=came_from(piece)
    )
    assert answer.status_code == 200
    assert "stop it first" in answer.content.decode()


def test_the_page_says_when_no_worker_is_alive(signed_in: Client, piece: Piece) -> None:
    firing = fired(piece, Firing.State.RUNNING)
    state = reverse("firing-state", args=[firing.pk])
    assert signed_in.get(state).json()["unattended"] is True
    assert "data-unattended >" in signed_in.get(piece.get_absolute_url()).content.decode()
    record_heartbeat("firings")
    assert signed_in.get(state).json()["unattended"] is False
    assert "data-unattended hidden>" in signed_in.get(piece.get_absolute_url()).content.decode()


def test_a_refusal_answers_a_script_with_its_words(signed_in: Client, piece: Piece) -> None:
    whole = replace(Refine(), model="gone-fine")
    piece.schedule_kept = Schedule((Coat(factor=2.0, refine=whole),)).to_json()
    piece.save(update_fields=["schedule_kept"])
    answer = signed_in.get(
        reverse("swatch-windows", args=[piece.pk]),
        {"coat": 0},
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert "gone-fine" in answer.json()["words"]
