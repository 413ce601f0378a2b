"""Services outside that answer garbage, endlessly, slowly, with errors or not at all."""

import resource
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from datetime import timedelta
from io import BytesIO
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings as site
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.schedule import Coat
from enamel.jobs import services as jobs
from enamel.library.models import Piece
from enamel.orders.bureau import services as asking
from enamel.orders.bureau import turns as bureau
from enamel.orders.clients import client as http
from enamel.orders.clients import last_answers, sending
from enamel.orders.clients.answers import (
    Account,
    Offer,
    PriceList,
    RenderOrderAnswer,
    ShopOrderAnswer,
)
from enamel.orders.clients.client import Rejected, Retryable, ServiceClient, Unknown
from enamel.orders.clients.sending import Turn, send_file
from enamel.orders.models import SentCoat, ServiceAnswer, ShopOrder
from enamel.orders.shop import services as shop
from enamel.prints import services as prints
from enamel.prints.models import PrintFile
from tests.outside import Behave, Reply, service
from tests.pages import words_of
from tests.workers import carry_out, take_turn

WITH_DATABASE = pytest.mark.django_db(transaction=True)
Serve = Callable[[Behave], ServiceClient]
PRICES = {"currency": "EUR", "papers": []}
PLACED = {"number": "7", "state": "awaiting-file"}


@pytest.fixture
def serve(monkeypatch: pytest.MonkeyPatch) -> Iterator[Serve]:
    """Opens a service that behaves in some way and is both the shop and the bureau."""
    monkeypatch.setattr(sending, "PAUSE_SECONDS", 0.01)
    with ExitStack() as stack:

        def open_one(behave: Behave) -> ServiceClient:
            address = stack.enter_context(service(behave))
            monkeypatch.setattr(site, "PRINT_SHOP", address)
            monkeypatch.setattr(site, "BUREAU", address)
            return ServiceClient(address, "the print shop")

        yield open_one


def always(reply: Reply) -> Behave:
    return lambda *request: reply


def blocks(size: int, pause: float = 0.0) -> Iterator[bytes]:
    while True:
        yield b"1" * size
        time.sleep(pause)


# three answers, told apart --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("reply", "kind"),
    [
        (Reply(422, {"reason": "No."}), Rejected),
        (Reply(404, b"<html>"), Rejected),
        (Reply(503, {"reason": "busy"}, {"Retry-After": "3"}), Retryable),
        (Reply(429, b"", {"Retry-After": "soon"}), Retryable),
        (Reply(503, b""), Unknown),
        (Reply(500, b""), Unknown),
        (Reply(502, {"reason": "gateway"}), Unknown),
        (Reply(302, b"", {"Location": "http://127.0.0.1:9/"}), Unknown),
        (Reply(lost=True), Unknown),
        (Reply(200, b"no JSON"), Unknown),
    ],
)
def test_what_is_certain_is_kept_apart_from_what_is_not_known(
    serve: Serve, reply: Reply, kind: type[Exception]
) -> None:
    client = serve(always(reply))
    with pytest.raises(kind):
        client.ask("POST", "/v1/orders", ShopOrderAnswer, body={}, key="k")


def test_who_is_not_there_has_done_nothing() -> None:
    with pytest.raises(Retryable, match="The print shop does not answer"):
        ServiceClient("http://127.0.0.1:9", "the print shop").ask("GET", "/", PriceList)


@pytest.mark.parametrize(
    "reply",
    [
        Reply(422, {"reason": "long " * 500_000}), Reply(422, {"reason": ["x"]}),
        Reply(422, {"reason": "a\0b"}), Reply(422, blocks(1 << 16)),
    ],
)  # fmt: skip
def test_reasons_are_short_words_whatever_comes(serve: Serve, reply: Reply) -> None:
    with pytest.raises(Rejected) as refused:
        serve(always(reply)).ask("GET", "/", PriceList)
    assert len(str(refused.value)) <= http.REASON_LENGTH
    assert "\0" not in str(refused.value)


# bounds ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (blocks(1 << 16), "too long"),
        (blocks(1, 0.05), "in time"),
        (b"[" * 300_000, "not understood"),
    ],
)
def test_answers_are_bounded_in_bytes_time_and_depth(
    serve: Serve, monkeypatch: pytest.MonkeyPatch, body: Any, words: str
) -> None:
    monkeypatch.setattr(http, "ANSWER_SECONDS", 1.0)
    client = serve(always(Reply(200, body)))
    began = time.monotonic()
    with pytest.raises(Unknown, match=words):
        client.ask("GET", "/v1/price-list", PriceList)
    assert time.monotonic() - began < 5


@pytest.mark.parametrize(
    "reply",
    [
        Reply(200, blocks(1 << 20)),
        Reply(206, blocks(1 << 20), {"Content-Range": "bytes 0-99/100"}),
        Reply(206, b"x" * 100, {"Content-Range": "bytes 50-149/150"}),
    ],
)
def test_a_file_never_grows_beyond_what_was_agreed(
    serve: Serve, tmp_path: Path, reply: Reply
) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    into = tmp_path / "result.png"
    with pytest.raises(Unknown):
        serve(always(reply)).fetch("/result", into, 100, 2.0)
    assert not into.exists() or into.stat().st_size <= 100
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000  # kB


def test_a_proof_is_not_read_beyond_its_bound(serve: Serve) -> None:
    with pytest.raises(Unknown, match="too long"):
        serve(always(Reply(200, blocks(1 << 16)))).content("/proof", 1000)


@pytest.mark.parametrize("status", [400, 409, 422, 500, 503])
def test_an_error_on_sending_a_file_is_not_asked_again_without_pause(
    serve: Serve, status: int
) -> None:
    asked: list[str] = []

    def behave(method: str, path: str, headers: dict[str, str], body: bytes) -> Reply:
        asked.append(method)
        return Reply(200, PLACED) if method == "GET" else Reply(status, {"reason": "No."})

    client = serve(behave)
    with pytest.raises((Rejected, Unknown)):
        send_file(
            client, "/file", BytesIO(b"x" * 100), 100,
            lambda: client.ask("GET", "/", ShopOrderAnswer).received, Turn(),
        )  # fmt: skip
    assert asked.count("PUT") <= sending.TRIES + 1


# answers of the wrong shape -------------------------------------------------------------------

WRONG = [
    [1], "x", None, 7, {}, {"currency": 5, "papers": []}, {"currency": "EUR", "papers": "x"},
    {"currency": "EUR", "papers": [1]}, {"currency": "EUR", "papers": [{"name": "x"}]},
]  # fmt: skip
NOT_NUMBERS = (b"1e400", b"NaN", b"-5", b"Infinity", b'"7"', b"null", b"[]", b"1" * 400)


@WITH_DATABASE
@pytest.mark.parametrize("wrong", WRONG)
def test_prices_of_the_wrong_shape_are_not_understood_and_pages_go_on(
    serve: Serve, client: Client, piece: Piece, wrong: Any
) -> None:
    serve(always(Reply(200, wrong)))
    for question in last_answers.QUERIES:
        last_answers.refresh(question)
    assert "not understood" in shop.price_list().error
    client.force_login(piece.owner)  # type: ignore[arg-type]
    for page in (
        f"{piece.get_absolute_url()}?task=file",
        reverse("bureau"),
        reverse("print-files"),
    ):
        assert client.get(page).status_code == 200


@pytest.mark.parametrize("number", NOT_NUMBERS)
def test_numbers_that_are_none_are_not_kept(serve: Serve, number: bytes) -> None:
    client = serve(always(Reply(200, b'{"balance_cents": %s, "currency": "EUR"}' % number)))
    if number != b"-5":  # an account can be overdrawn
        with pytest.raises(Unknown):
            client.ask("GET", "/", Account)
    for form, body in (
        (Offer, b'{"number": "1", "currency": "EUR", "cents": %s, "seconds": 1, "expires_in": 9}'),
        (RenderOrderAnswer, b'{"number": "1", "state": "done", "cents": 1, "charged_cents": %s}'),
        (ShopOrderAnswer, b'{"number": "1", "state": "queued", "received": %s}'),
    ):
        with pytest.raises(Unknown):
            serve(always(Reply(200, body % number))).ask("GET", "/", form)


@WITH_DATABASE
def test_an_accepted_order_without_a_currency_does_not_break_its_page(
    serve: Serve, client: Client, made: PrintFile, artist: User
) -> None:
    answer = {**PLACED, "state": "accepted", "price": {"cents": 5}}
    serve(lambda method, *rest: Reply(200, PLACED if method == "POST" else answer))
    order = shop.order(made, "satin", 1)
    assert take_turn(order) is not None
    order.refresh_from_db()
    assert order.open
    assert "not understood" in order.news
    client.force_login(artist)
    assert client.get(reverse("shop-order", args=[order.pk])).status_code == 200


# pages do not wait ----------------------------------------------------------------------------


@WITH_DATABASE
def test_no_page_waits_for_a_service(
    serve: Serve, client: Client, piece: Piece, made: PrintFile
) -> None:
    asked: list[str] = []

    def behave(method: str, path: str, headers: dict[str, str], body: bytes) -> Reply:
        asked.append(path)
        return Reply(200, blocks(1, 1.0))

    serve(behave)
    client.force_login(piece.owner)  # type: ignore[arg-type]
    sent = asking.ask_for_offer(piece.base, Coat(factor=2))
    order = shop.order(made, "satin", 1)
    for page in (
        f"{piece.get_absolute_url()}?task=file", reverse("bureau"), reverse("print-files"),
        reverse("sent-coat", args=[sent.pk]), reverse("shop-order", args=[order.pk]),
    ):  # fmt: skip
        assert client.get(page).status_code == 200, page
    assert asked == []


@WITH_DATABASE
def test_pages_say_how_old_an_answer_is_and_why_there_is_no_newer_one(
    serve: Serve, client: Client, artist: User
) -> None:
    client.force_login(artist)
    assert "has not been asked yet" in words_of(client.get(reverse("bureau")))
    serve(always(Reply(200, {"balance_cents": 1234, "currency": "EUR"})))
    assert "has not been asked yet" in words_of(client.get(reverse("bureau")))
    last_answers.refresh(last_answers.ACCOUNT)
    ServiceAnswer.objects.update(answered=timezone.now() - timedelta(minutes=7))
    page = client.get(reverse("bureau")).content.decode()
    assert "12.34" in page
    assert "7\xa0minutes ago" in page
    ServiceAnswer.objects.update(address=site.BUREAU, error="The bureau does not answer.")
    assert "What is shown is 7 minutes old." in words_of(client.get(reverse("bureau")))


# money ----------------------------------------------------------------------------------------


@pytest.fixture
def made(piece: Piece) -> PrintFile:
    """A written print file."""
    ordered = prints.order(piece.base, PrintSettings(Output(FileFormat.PNG)))
    carry_out(ordered)
    ordered.refresh_from_db()
    assert ordered.file
    return ordered


class Bureau:
    """A bureau that keeps orders by key, and whose answers can be spoilt."""

    def __init__(self) -> None:
        self.spoil: dict[str, Reply] = {}
        """What is answered instead, by method; the request is carried out all the same."""
        self.away: set[str] = set()
        """Methods that are not even carried out."""
        self.charged: dict[str, int] = {}
        self.state = "awaiting-files"

    def __call__(self, method: str, path: str, headers: dict[str, str], body: bytes) -> Reply:
        if method in self.away:
            return self.spoil[method]
        if path == "/v1/terms":
            return Reply(200, {"name": "the bureau"})
        if path == "/v1/offers":
            return Reply(
                201,
                {"number": "o", "cents": 500, "currency": "EUR", "seconds": 9, "expires_in": 600},
            )
        if method == "POST":
            self.charged.setdefault(headers["Idempotency-Key"], 500)
        if method == "DELETE":
            self.charged = dict.fromkeys(self.charged, 0)
            self.state = "cancelled"
        if method in self.spoil:
            return self.spoil[method]
        return Reply(200, {
            "number": "n", "state": self.state, "cents": 500, "progress": 0,
            "charged_cents": sum(self.charged.values()),
            "files": {"layer": {"bytes": 100, "received": 0}},
        })  # fmt: skip


def ordered(piece: Piece) -> SentCoat:
    sent = asking.ask_for_offer(piece.base, Coat(factor=2))
    take_turn(sent)
    asking.order(sent)
    sent.refresh_from_db()
    return sent


@WITH_DATABASE
@pytest.mark.parametrize("reply", [Reply(500), Reply(502), Reply(lost=True), Reply(200, b"{")])
def test_an_order_whose_answer_got_lost_is_asked_for_with_the_same_key_until_it_is_known(
    serve: Serve, piece: Piece, client: Client, reply: Reply
) -> None:
    there = Bureau()
    serve(there)
    sent = ordered(piece)
    there.spoil = {"POST": reply}
    for _ in range(3):
        assert take_turn(sent) is not None
    sent.refresh_from_db()
    assert (sent.state, sent.uncertain) == (SentCoat.State.WAITING, True)
    assert len(there.charged) == 1
    client.force_login(piece.owner)  # type: ignore[arg-type]
    page = client.get(reverse("sent-coat", args=[sent.pk])).content.decode()
    assert "not known" in page
    assert "Nothing was charged" not in page
    there.spoil = {}
    take_turn(sent)
    sent.refresh_from_db()
    assert (sent.number, sent.uncertain, sent.charged_cents) == ("n", False, 500)
    assert len(there.charged) == 1


@WITH_DATABASE
def test_cancelling_continues_until_the_bureau_has_confirmed_it(serve: Serve, piece: Piece) -> None:
    there = Bureau()
    serve(there)
    sent = ordered(piece)
    there.spoil = {"PUT": Reply(500)}
    take_turn(sent)
    there.away, there.spoil = {"DELETE", "POST"}, {"DELETE": Reply(500), "POST": Reply(500)}
    asking.cancel(sent)
    for _ in range(3):
        assert take_turn(sent) is not None
        sent.refresh_from_db()
        assert (sent.state, sent.charged_cents) == (SentCoat.State.CANCELLING, 500)
    there.away, there.spoil = set(), {}
    assert take_turn(sent) is None
    sent.refresh_from_db()
    assert (sent.state, sent.charged_cents) == (SentCoat.State.LEFT, 0)
    assert list(there.charged.values()) == [0]


@WITH_DATABASE
def test_an_order_that_never_left_is_cancelled_without_asking(serve: Serve, piece: Piece) -> None:
    there = Bureau()
    serve(there)
    sent = ordered(piece)
    asking.cancel(sent)
    assert take_turn(sent) is None
    sent.refresh_from_db()
    assert (sent.state, sent.charged_cents, there.charged) == (SentCoat.State.LEFT, 0, {})


@WITH_DATABASE
def test_cancelled_while_the_result_is_decoded_it_becomes_no_layer(
    piece: Piece, bureau_of: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = bureau_of()
    sent = asking.ask_for_offer(piece.base, Coat(factor=2))
    take_turn(sent)
    asking.order(sent)
    decode = bureau.read_apart

    def slowly(*given: Any) -> Any:
        asking.cancel(SentCoat.objects.get(pk=sent.pk))
        return decode(*given)

    monkeypatch.setattr(bureau, "read_apart", slowly)
    for _ in range(80):
        if take_turn(sent) is None:
            break
    sent.refresh_from_db()
    assert sent.state == SentCoat.State.LEFT
    assert (sent.result, piece.layers.count()) == (None, 1)
    assert not sent.pixels
    assert not list(Path(site.MEDIA_ROOT, "sent-out").glob("*"))
    # it was rendered already, so the bureau keeps what it charged, and that is said
    assert sent.charged_cents == server.service.ledger.charged(sent.number)


@WITH_DATABASE
def test_a_rejected_order_is_reported_to_have_cost_nothing(serve: Serve, piece: Piece) -> None:
    there = Bureau()
    serve(there)
    sent = ordered(piece)
    there.away, there.spoil = {"POST"}, {"POST": Reply(422, {"reason": "Too late."})}
    assert take_turn(sent) is None
    sent.refresh_from_db()
    assert (sent.state, sent.charged_cents) == (SentCoat.State.FAILED, 0)
    assert "Too late. Nothing was charged and no picture was sent" in sent.error


# the shop -------------------------------------------------------------------------------------


@WITH_DATABASE
def test_there_is_one_open_order_for_a_file_and_one_key_until_it_is_settled(
    serve: Serve, made: PrintFile
) -> None:
    keys: list[str] = []

    def behave(method: str, path: str, headers: dict[str, str], body: bytes) -> Reply:
        if method == "POST":
            keys.append(headers["Idempotency-Key"])
            return Reply(500)
        return Reply(404)

    serve(behave)
    order = shop.order(made, "satin", 1)
    with pytest.raises(Refusal, match="on its way"):
        shop.order(made, "satin", 1)
    assert ShopOrder.objects.count() == 1
    assert take_turn(order) is not None
    order.refresh_from_db()
    assert (order.state, order.uncertain) == (ShopOrder.State.WAITING, True)
    assert "not known" in order.news
    shop.delete(order)
    again = shop.order(made, "satin", 1)
    take_turn(again)
    assert len(set(keys)) == 1
    again.settle(ShopOrder.State.REFUSED, uncertain=False)
    made.refresh_from_db()
    other = shop.order(made, "satin", 2)
    take_turn(other)
    assert len(set(keys)) == 2


@WITH_DATABASE
def test_an_order_and_its_job_are_one(made: PrintFile, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(job: object) -> None:
        raise RuntimeError("the database went away")

    monkeypatch.setattr(jobs, "enqueue_job", broken)
    with pytest.raises(RuntimeError):
        shop.order(made, "satin", 1)
    assert not ShopOrder.objects.exists()
