"""Print files at the shop: sent, refused, sent on after a break, given up, each said as it is."""

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings as site
from django.utils import timezone

from devservices.http import Mode
from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.sizing import Bleed, PrintTarget
from enamel.library.models import Layer, Piece
from enamel.orders.clients import client, last_answers, sending
from enamel.orders.models import ShopOrder
from enamel.orders.shop import services as shop
from enamel.prints import services as prints
from enamel.prints.models import PrintFile
from tests.shop import opened
from tests.workers import carry_out, take_turn

pytestmark = pytest.mark.django_db
State = ShopOrder.State


def written(layer: Layer, bleed: float = 3.0) -> PrintFile:
    """A PDF of 7 × 5 mm, at some 300 ppi."""
    plan = PrintPlan(PrintTarget(7, 5, 300, Bleed(*(bleed,) * 4)), Fit.EXTEND)
    made = prints.order(layer, PrintSettings(Output(FileFormat.PDF), plan))
    carry_out(made)
    made.refresh_from_db()
    assert made.file, made.error
    return made


@pytest.fixture
def made(piece: Piece) -> PrintFile:
    return written(piece.base)


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sending, "PAUSE_SECONDS", 0.02)


@pytest.fixture
def at(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Any]:
    """Opens a shop of some mood and has the kiln send to it."""
    closing = []

    def open_shop(**mood: Any) -> Any:
        context = opened(tmp_path, **mood)
        _, server = context.__enter__()
        closing.append(context)
        monkeypatch.setattr(site, "PRINT_SHOP", f"http://127.0.0.1:{server.server_address[1]}")
        return server

    yield open_shop
    for context in closing:
        context.__exit__(None, None, None)


def carried_out(order: ShopOrder) -> list[float]:
    """Take an order on until it is settled, as workers do; return the pauses between."""
    pauses = []
    for _ in range(50):
        pause = take_turn(order)
        if pause is None:
            break
        pauses.append(pause)
    order.refresh_from_db()
    return pauses


def test_a_file_is_sent_and_accepted_with_price_and_proof(at: Any, made: PrintFile) -> None:
    server = at()
    assert shop.price_list().asking
    last_answers.refresh(last_answers.PRICES)
    prices = shop.price_list().answer
    assert prices is not None
    assert [paper.name for paper in prices.papers] == ["matte", "satin", "canvas"]
    order = shop.order(made, "satin", 3)
    with pytest.raises(Refusal, match="on its way"):
        shop.order(made, "satin", 1)
    carried_out(order)
    assert (order.state, order.error, order.progress) == (State.ACCEPTED, "", 1)
    assert order.answer["price"]["currency"] == "EUR"
    assert order.proof.read()[1:4] == b"PNG"
    # what arrived is the file, byte for byte
    assert server.service.file(order.number).read_bytes() == Path(made.file.path).read_bytes()
    assert take_turn(order) is None


@pytest.mark.parametrize("mode", [mode for mode in Mode if mode is not Mode.NORMAL])
def test_a_shop_that_misbehaves_gets_one_order_once_it_behaves(
    at: Any, made: PrintFile, monkeypatch: pytest.MonkeyPatch, mode: Mode
) -> None:
    """Whatever it answers, nobody is charged twice and nothing is said that nobody knows."""
    monkeypatch.setattr(client, "ANSWER_SECONDS", 0.4)
    server = at(mode=mode)
    order = shop.order(made, "satin", 1)
    for _ in range(2):
        assert take_turn(order) is not None
        order.refresh_from_db()
        assert (order.state, order.uncertain, order.error) == (State.WAITING, True, "")
        assert "Whether the shop has this order is not known." in order.news
    server.mode = Mode.NORMAL
    monkeypatch.setattr(client, "ANSWER_SECONDS", 20.0)
    carried_out(order)
    assert (order.state, order.error) == (State.ACCEPTED, "")
    assert len(list((server.service.folder).glob("*/order.json"))) == 1


def test_a_file_without_bleed_is_refused_with_the_reason(at: Any, piece: Piece) -> None:
    at()
    order = shop.order(written(piece.base, bleed=0.5), "matte", 1)
    carried_out(order)
    assert order.state == State.REFUSED
    assert "0.5 mm of bleed; on Matte 200 g/m² we need 3 mm" in " ".join(order.answer["reasons"])
    assert order.answer["price"] is None


def test_a_busy_shop_is_asked_again_when_it_says(at: Any, made: PrintFile) -> None:
    at(busy=2)
    order = shop.order(made, "satin", 1)
    assert take_turn(order) == 2.0
    order.refresh_from_db()
    assert order.news == "The print shop is busy; it is asked again in 2 s."
    assert carried_out(order)[0] == 2.0
    assert order.state == State.ACCEPTED


def test_a_broken_line_resumes_behind_what_arrived(
    at: Any, made: PrintFile, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sending, "PART", made.file.size // 3)
    server = at(break_after=made.file.size // 2)
    order = shop.order(made, "satin", 1)
    carried_out(order)
    assert order.state == State.ACCEPTED
    assert server.service.file(order.number).read_bytes() == Path(made.file.path).read_bytes()
    assert server.broken


def test_a_shop_that_looks_long_gives_others_their_turn(
    at: Any, made: PrintFile, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sending, "TURN_SECONDS", 0.1)
    at(slow=2.0)
    order = shop.order(made, "satin", 1)
    for _ in range(3):
        assert take_turn(order) is not None
    order.refresh_from_db()
    assert order.state == State.CHECKING
    carried_out(order)
    assert order.state == State.ACCEPTED


def test_a_shop_that_is_gone_is_asked_again_and_given_up_after_a_while(
    at: Any, made: PrintFile
) -> None:
    last_answers.refresh(last_answers.PRICES)
    assert shop.price_list().error == "The print shop does not answer."
    order = shop.order(made, "satin", 1)
    assert take_turn(order) == 2.0
    order.refresh_from_db()
    assert (order.state, order.news) == (State.WAITING, "The print shop does not answer.")
    ShopOrder.objects.filter(pk=order.pk).update(moved=timezone.now() - timedelta(minutes=11))
    assert take_turn(order) is None
    order.refresh_from_db()
    assert order.state == State.FAILED
    assert "does not answer. Nothing was ordered; send it again later." in order.error


@pytest.mark.parametrize(("paper", "words"), [("glass", "we print on matte, satin, canvas")])
def test_what_the_shop_does_not_take_is_reported_in_its_words(
    at: Any, made: PrintFile, paper: str, words: str
) -> None:
    at()
    order = shop.order(made, paper, 1)
    carried_out(order)
    assert (order.state, words in order.error) == (State.FAILED, True)


def test_only_written_files_are_sent_and_an_order_can_be_deleted(
    at: Any, piece: Piece, made: PrintFile
) -> None:
    at()
    waiting = prints.order(piece.base, PrintSettings(Output()))
    with pytest.raises(Refusal, match="not written yet"):
        shop.order(waiting, "satin", 1)
    with pytest.raises(Refusal, match="1 to 500"):
        shop.order(made, "satin", 501)
    order = shop.order(made, "satin", 1)
    carried_out(order)
    path = Path(order.proof.path)
    assert path.exists()
    shop.delete(order)
    assert not path.exists()
    gone = shop.order(made, "satin", 1)
    same = ShopOrder.objects.get(pk=gone.pk)
    shop.delete(gone)
    assert take_turn(same) is None
