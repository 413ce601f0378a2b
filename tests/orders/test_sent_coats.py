"""Coats at the bureau: offered, ordered once, sent on after breaks, checked before they become layers."""

import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.conf import settings as site
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from devservices.bureau.rendering import render
from devservices.bureau.terms import Terms
from devservices.http import Mode
from enamel.core.errors import Refusal, Stopped
from enamel.core.export.file import export
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.pixels import examine, read_canvas
from enamel.core.schedule import Coat, Refine, Region, Schedule
from enamel.firings import services as firings
from enamel.library.models import Layer, Piece
from enamel.orders.bureau import services as asking
from enamel.orders.bureau import turns as sending
from enamel.orders.clients import client, last_answers
from enamel.orders.clients import sending as files
from enamel.orders.models import SentCoat
from tests.bureau import Open
from tests.workers import carry_out, take_turn

pytestmark = pytest.mark.django_db(transaction=True)
State = SentCoat.State
COAT = Coat(factor=1.5, refine=Refine(strength=0.25, steps=2, tile=(128, 128), prompt="brass"))


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "PAUSE_SECONDS", 0.02)
    monkeypatch.setattr(files, "TURN_SECONDS", 1.0)


def offered(piece: Piece, coat: Coat = COAT) -> SentCoat:
    """An offer, or the reason why there is none."""
    sent = asking.ask_for_offer(piece.base, coat)
    assert sent.state == State.ASKING
    assert take_turn(sent) is None
    sent.refresh_from_db()
    return sent


def ordered(piece: Piece, coat: Coat = COAT) -> SentCoat:
    sent = offered(piece, coat)
    asking.order(sent)
    sent.refresh_from_db()
    return sent


def carried_out(sent: SentCoat) -> SentCoat:
    """Take a coat on until it is settled, as workers do."""
    for _ in range(80):
        if take_turn(sent) is None:
            break
    sent.refresh_from_db()
    return sent


def tampered(change: Callable[[np.ndarray[Any, Any]], np.ndarray[Any, Any]]) -> Any:
    """A renderer that does something to each result."""

    def spoil(coat: Coat, layer: Path, base: Path | None, into: Path, *rest: Any) -> None:
        render(coat, layer, base, into, *rest)
        made = read_canvas(into, examine(into), into.with_name("made.npy"))
        samples = change(made.read(made.region))
        height, width, channels = samples.shape
        other = Canvas.create(into.with_name("other.npy"), Box(0, 0, width, height), channels)
        other.write(other.region, samples)
        into.unlink()
        export(other, into, output=sending.SENT)

    return spoil


def test_a_coat_comes_back_as_the_layer_that_would_have_been_fired_here(
    bureau_of: Open, piece: Piece
) -> None:
    server = bureau_of()
    sent = offered(piece)
    assert (sent.size.width, sent.state) == (168, State.OFFERED)
    assert sent.cents == server.service.terms.setup_cents  # it is so small
    assert asking.other_models(sent) == []
    asking.order(sent)
    asking.order(sent)  # pressed twice
    assert ProcrastinateJob.objects.filter(task_name="orders.sentcoat").count() == 2
    carried_out(sent)
    assert (sent.state, sent.error) == (State.DONE, "")
    layer = sent.result
    assert layer is not None
    assert layer.recipe["bureau"]["name"] == server.service.terms.name
    assert layer.kind == Layer.Kind.COAT
    assert layer.checked
    # this bureau has this engine and these models: the same bits
    firing = firings.enqueue_schedule(piece.base, Schedule((COAT,)))
    carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None
    assert firing.result.pk != layer.pk
    assert firing.result.sha256 == layer.sha256
    last_answers.refresh(last_answers.ACCOUNT)
    account = asking.account(piece.owner_id)
    assert account.spent_cents == sent.cents
    assert account.balance_cents == 5000 - sent.cents


def test_an_offer_is_asked_for_with_figures_only(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = bureau_of()
    received: list[Any] = []
    offer = server.service.offer
    monkeypatch.setattr(
        server.service, "offer", lambda asked: (received.append(asked), offer(asked))[1]
    )
    words = Coat(
        factor=1.5,
        refine=Refine(
            steps=2, prompt="secret", negative_prompt="hidden", regions=(Region(prompt="private"),)
        ),
    )
    sent = offered(piece, words)
    assert set(received[0]) == {"width", "height", "coat"}
    assert not any(word in str(received) for word in ("secret", "hidden", "private", piece.title))
    assert words.refine is not None
    assert words.refine.words == ["secret", "hidden", "private"]
    assert sent.coat == words


@pytest.mark.parametrize(
    ("coat", "terms", "words"),
    [
        (COAT, Terms(largest_megapixels=0.01), "too large; we make up to"),
        (Coat(upscaler="emery", factor=2), None, "We do not have emery"),
    ],
)
def test_a_bureau_that_does_not_do_it_says_why_and_nothing_leaves(
    bureau_of: Open, piece: Piece, coat: Coat, terms: Terms | None, words: str
) -> None:
    bureau_of(terms=terms)
    sent = offered(piece, coat)
    assert sent.state == State.FAILED
    assert words in sent.error
    assert "Nothing was sent." in sent.error
    asking.leave(sent)
    assert not SentCoat.objects.exists()


def test_a_bureau_that_is_gone_or_does_not_know_the_workshop(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(site, "BUREAU", "http://127.0.0.1:9")
    assert "does not answer. So there is no offer. Nothing was sent" in offered(piece).error
    last_answers.refresh(last_answers.ACCOUNT)
    account = asking.account(piece.owner_id)
    assert (account.balance_cents, account.at_bureau.error) == (None, "The bureau does not answer.")
    bureau_of()
    monkeypatch.setattr(site, "BUREAU_KEY", "wrong")
    assert "We do not know this key" in offered(piece).error


@pytest.mark.parametrize(
    "change",
    [
        {"cents": -1},
        {"cents": 10**12},
        {"cents": "x"},
        {"number": "9" * 80},
        {"expires": 1e300},
        {"seconds": -1},
        {"currency": "euros"},
    ],
)
def test_an_offer_that_makes_no_sense_is_none(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch, change: dict[str, Any]
) -> None:
    service = bureau_of().service
    offer = service.offer
    monkeypatch.setattr(service, "offer", lambda asked: offer(asked) | change)
    sent = offered(piece)
    assert sent.state == State.FAILED
    assert "not understood" in sent.error


def test_offers_expire_and_the_month_has_a_limit(bureau_of: Open, piece: Piece) -> None:
    bureau_of()
    sent = offered(piece)
    asking.set_limit(piece.owner_id, sent.cents * 2 - 1)
    asking.order(sent)
    second = offered(piece)
    with pytest.raises(Refusal, match="would go beyond"):
        asking.order(second)
    second.refresh_from_db()
    assert second.state == State.OFFERED
    # what was spent last month does not count
    SentCoat.objects.filter(pk=sent.pk).update(ordered=timezone.now() - timedelta(days=32))
    asking.order(second)
    third = offered(piece)
    SentCoat.objects.filter(pk=third.pk).update(expires=timezone.now() - timedelta(seconds=1))
    with pytest.raises(Refusal, match="expired"):
        asking.order(third)
    assert SentCoat.objects.expired().count() == 1
    with pytest.raises(Refusal, match="from 0 to"):
        asking.set_limit(piece.owner_id, -1)


def test_an_empty_account_is_reported_and_nothing_is_charged(bureau_of: Open, piece: Piece) -> None:
    bureau_of(beginning_cents=5)
    sent = carried_out(ordered(piece))
    assert sent.state == State.FAILED
    assert "not enough on the account" in sent.error
    assert "no picture was sent" in sent.error
    assert sent.charged_cents == 0


@pytest.mark.parametrize("mode", [mode for mode in Mode if mode is not Mode.NORMAL])
def test_a_bureau_that_misbehaves_charges_once_when_it_behaves(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch, mode: Mode
) -> None:
    server = bureau_of()
    sent = ordered(piece)
    server.mode = mode
    monkeypatch.setattr(client, "ANSWER_SECONDS", 0.4)
    for _ in range(2):
        assert take_turn(sent) is not None
        sent.refresh_from_db()
        assert (sent.state, sent.uncertain, sent.error) == (State.WAITING, True, "")
        assert "not known" in sent.news
    server.mode = Mode.NORMAL
    monkeypatch.setattr(client, "ANSWER_SECONDS", 20.0)
    carried_out(sent)
    assert (sent.state, sent.error) == (State.DONE, "")
    (charge,) = server.service.ledger.shown()["charges"]
    assert (charge["cents"], charge["state"]) == (sent.cents, "taken")


@pytest.mark.parametrize("mode", [mode for mode in Mode if mode is not Mode.NORMAL])
def test_a_bureau_that_misbehaves_makes_no_offer_and_says_so(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch, mode: Mode
) -> None:
    monkeypatch.setattr(client, "ANSWER_SECONDS", 0.4)
    bureau_of(mode=mode)
    sent = offered(piece)
    assert sent.state == State.FAILED
    assert "So there is no offer. Nothing was sent" in sent.error


def test_a_lost_answer_and_a_busy_bureau_charge_once(bureau_of: Open, piece: Piece) -> None:
    server = bureau_of(lose_answers=2, busy=1)
    sent = ordered(piece)
    assert take_turn(sent) == 2.0
    sent.refresh_from_db()
    assert sent.uncertain is False or "not known" in sent.news
    carried_out(sent)
    assert (sent.state, sent.error) == (State.DONE, "")
    (charge,) = server.service.ledger.shown()["charges"]
    assert (charge["cents"], charge["state"]) == (sent.cents, "taken")


def test_lines_that_break_resume_behind_what_arrived(
    bureau_of: Open, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "PART", 20_000)
    server = bureau_of(break_after=15_000, break_result_after=30_000)
    blended = Coat(factor=1.5, refine=Refine(strength=0.2, steps=1, blend=0.5))
    sent = carried_out(ordered(piece, blended))
    assert (sent.state, sent.error) == (State.DONE, "")
    # layer, base and result
    assert len(server.broken) == 3
    assert set(server.service.order(sent.number)["files"]) == {"layer", "base"}  # type: ignore[index]


def test_a_wrong_checksum_is_fetched_again_and_after_three_given_up(
    bureau_of: Open, piece: Piece
) -> None:
    server = bureau_of(spoil=1)
    sent = carried_out(ordered(piece))
    assert (sent.state, sent.spoilt) == (State.DONE, 1)
    server.spoil = 3
    other = carried_out(ordered(piece, Coat(factor=2)))
    assert other.state == State.FAILED
    assert "wrong checksum 3 times" in other.error
    assert f"has charged {other.cents / 100:.2f} EUR" in other.error
    assert other.result is None
    asking.try_again(other)
    carried_out(other)
    assert (other.state, other.charged_cents) == (State.DONE, other.cents)
    assert len(server.service.ledger.shown()["charges"]) == 2
    with pytest.raises(Refusal, match="did not fail"):
        asking.try_again(other)


def test_another_size_never_becomes_a_layer(bureau_of: Open, piece: Piece) -> None:
    bureau_of(render=tampered(lambda samples: samples[:-8]))
    sent = carried_out(ordered(piece))
    assert sent.state == State.FAILED
    assert "where 168 × 132 px were ordered. It did not become a layer." in sent.error
    assert piece.layers.count() == 1


def test_another_picture_is_put_before_the_artist(bureau_of: Open, piece: Piece) -> None:
    bureau_of(render=tampered(lambda samples: samples[::-1]))
    sent = carried_out(ordered(piece))
    assert sent.state == State.DOUBTED
    assert "Its shapes are not those that left" in sent.error
    assert piece.layers.count() == 1
    assert sent.preview.read()[8:12] == b"WEBP"
    asking.keep(sent)
    carried_out(sent)
    assert (sent.state, bool(sent.pixels)) == (State.DONE, False)
    assert piece.layers.count() == 2
    with pytest.raises(Refusal, match="nothing here"):
        asking.keep(sent)
    tinted = carried_out(ordered(piece, Coat(factor=1.25)))
    path = Path(tinted.pixels.path)
    asking.leave(tinted)
    assert not path.exists()
    assert asking.account(piece.owner_id).spent_cents == sent.cents + tinted.cents


def test_a_colour_cast_is_doubted(bureau_of: Open, piece: Piece) -> None:
    def warmer(samples: Any) -> Any:
        return np.clip(samples * np.array([1.0, 0.9, 0.7]), 0, 65535).astype(np.uint16)

    bureau_of(render=tampered(warmer))
    sent = carried_out(ordered(piece))
    assert sent.state == State.DOUBTED
    assert "colours are shifted" in sent.error


def test_cancelled_it_costs_nothing(bureau_of: Open, piece: Piece) -> None:
    def waits(*given: Any) -> None:
        stopping = given[-1]
        while not stopping():
            time.sleep(0.01)
        raise Stopped

    server = bureau_of(render=waits)
    early = ordered(piece)
    asking.cancel(early)
    carried_out(early)
    assert (early.state, early.charged_cents) == (State.LEFT, 0)
    sent = ordered(piece)
    assert take_turn(sent) is not None
    sent.refresh_from_db()
    assert (sent.state, sent.charged_cents) == (State.RENDERING, sent.cents)
    asking.cancel(sent)
    carried_out(sent)
    assert (sent.state, sent.charged_cents) == (State.LEFT, 0)
    charges = server.service.ledger.shown()["charges"]
    assert [charge["state"] for charge in charges] == ["returned"]
    asking.cancel(sent)  # nothing to cancel any more


def test_a_failing_renderer_gives_the_money_back(bureau_of: Open, piece: Piece) -> None:
    def fails(*given: Any) -> None:
        raise Refusal("The oven is cold.")

    bureau_of(render=fails)
    sent = carried_out(ordered(piece))
    assert sent.state == State.FAILED
    assert "The oven is cold. Nothing is charged." in sent.error
    assert sent.charged_cents == 0
    asking.leave(sent)
    assert not SentCoat.objects.exists()


def test_what_never_moves_is_cancelled(bureau_of: Open, piece: Piece) -> None:
    bureau_of()
    sent = ordered(piece)
    SentCoat.objects.filter(pk=sent.pk).update(moved=timezone.now() - timedelta(hours=7))
    carried_out(sent)
    assert sent.state == State.FAILED
    assert "six hours" in sent.error
    assert sent.charged_cents == 0
