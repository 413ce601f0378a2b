"""How much a request may send, by whom, and what pages say to caches."""

import asyncio
import json
from collections.abc import Callable, MutableMapping
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.accounts.models import Scope as TokenScope
from enamel.accounts.models import Token
from enamel.accounts.sessions import SessionStore
from enamel.library.models import Piece
from enamel.server import bounds
from enamel.server.bounds import STRANGERS_BYTES, bounded

Scope = MutableMapping[str, Any]


def answered(length: int, *, declared: bool = True, signed_in: bool = False) -> tuple[int, int]:
    """Status, and how many bytes the application was given."""
    given = 0
    statuses: list[int] = []

    async def application(
        scope: Scope, receive: Callable[..., Any], send: Callable[..., Any]
    ) -> None:
        nonlocal given
        while True:
            message = await receive()
            given += len(message["body"])
            if not message["more_body"]:
                break
        await send({"type": "http.response.start", "status": 200, "headers": []})

    left = length

    async def receive() -> Scope:
        nonlocal left
        part = min(left, 65536)
        left -= part
        return {"type": "http.request", "body": bytes(part), "more_body": left > 0}

    async def send(message: Scope) -> None:
        if "status" in message:
            statuses.append(message["status"])

    def known(cookies: bytes, authorization: bytes) -> bool:
        return signed_in

    headers = [(b"content-length" if declared else b"transfer-encoding", str(length).encode())]
    scope = {"type": "http", "path": "/", "headers": headers}
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(bounds, "is_known", known)
        asyncio.run(bounded(application)(scope, receive, send))
    return statuses[0], given


def test_a_stranger_may_send_little_whatever_is_said_of_it() -> None:
    assert answered(STRANGERS_BYTES) == (200, STRANGERS_BYTES)
    assert answered(STRANGERS_BYTES + 1) == (413, 0)
    status, given = answered(5 * STRANGERS_BYTES, declared=False)
    assert status == 413
    assert given <= STRANGERS_BYTES


def test_who_is_signed_in_may_send_pictures(settings: Any) -> None:
    settings.MAX_UPLOAD_MB = 0.1
    assert answered(1_500_000, signed_in=True) == (200, 1_500_000)
    assert answered(2_500_000, signed_in=True) == (413, 0)


@pytest.mark.django_db
def test_sessions_and_tokens_are_looked_up_not_believed(artist: User) -> None:
    session = SessionStore()
    session.create()
    for cookies, there in (
        (f"sessionid={session.session_key}", True), ("sessionid=made-up", False), ("", False),
        ("a=b; =;;", False),
    ):  # fmt: skip
        assert bounds.has_session(cookies.encode()) is there
    _, text = Token.objects.issue(artist, "script", [TokenScope.READ])
    for authorization, there in (
        (f"Bearer {text}", True), (f"bearer  {text}", True), (f"Basic {text}", False),
        ("Bearer", False), ("Bearer made-up", False), ("", False),
    ):  # fmt: skip
        assert bounds.has_token(authorization.encode()) is there
    artist.is_active = False
    artist.save()
    assert not bounds.has_token(f"Bearer {text}".encode())


def test_a_body_that_stops_in_the_middle_is_not_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bounds, "PAUSE_SECONDS", 0.1)
    monkeypatch.setattr(bounds, "LINGER_SECONDS", 0.1)
    sent: list[Scope] = []

    async def application(scope: Scope, receive: Any, send: Any) -> None:
        while (await receive())["more_body"]:
            pass

    parts = iter([{"type": "http.request", "body": b"{", "more_body": True}])

    async def receive() -> Scope:
        for part in parts:
            return part
        await asyncio.sleep(60)
        raise AssertionError

    async def send(message: Scope) -> None:
        sent.append(message)

    scope = {"type": "http", "path": "/api/v2/pieces", "headers": [(b"content-length", b"9")]}
    asyncio.run(bounded(application)(scope, receive, send))
    assert sent[0]["status"] == 408
    assert "send it again" in json.loads(sent[1]["body"])["error"]


def test_personal_pages_are_kept_by_no_cache_in_between(signed_in: Client, piece: Piece) -> None:
    for address in (reverse("pieces"), piece.get_absolute_url(), reverse("models")):
        declared = signed_in.get(address).headers["Cache-Control"]
        assert "private" in declared
        assert "no-cache" in declared


def test_text_that_can_not_be_stored_is_refused(signed_in: Client, piece: Piece) -> None:
    for name in ("q", "tag", "mark", "sort"):
        assert signed_in.get(reverse("pieces"), {name: "a\0b"}).status_code == 400
    urlencoded = "application/x-www-form-urlencoded"
    answer = signed_in.post(reverse("facts", args=[piece.pk]), "title=a%00b", urlencoded)
    assert answer.status_code == 400
    assert "NUL" in answer.content.decode()


@pytest.mark.parametrize(
    "next_page", ["https://elsewhere.example/", "//elsewhere.example", "javascript:x"]
)
def test_a_mark_leads_nowhere_else(signed_in: Client, piece: Piece, next_page: str) -> None:
    answer = signed_in.post(reverse("mark", args=[piece.pk]), {"mark": "keep", "next": next_page})
    assert answer.headers["Location"] == reverse("pieces")


@pytest.mark.parametrize("number", ["9" * 5000, "1e400", "-1", "½"])
def test_numbers_beyond_all_bounds_are_no_error(
    signed_in: Client, piece: Piece, number: str
) -> None:
    page = piece.get_absolute_url()
    assert signed_in.get(page, {"coat": number}).status_code == 200
    cost = reverse("schedule-cost", args=[piece.pk])
    assert signed_in.post(cost, {"coat": number, "factor": number}).status_code == 200
    apply = reverse("apply-preset", args=[piece.pk])
    assert signed_in.post(apply, {"schedule": number}).status_code in (302, 404)
    windows = reverse("swatch-cost", args=[piece.pk])
    assert signed_in.post(windows, {"window": f"0 0 {number} 9"}).status_code == 200


def test_the_demo_account_ends_with_demo_mode(client: Client, settings: Any, db: None) -> None:
    settings.DEMO = True
    demo = User(username="kestrel-vale")
    demo.set_unusable_password()
    demo.save()
    client.post(reverse("sign-in-demo"))
    assert client.get(reverse("pieces")).status_code == 200
    settings.DEMO = False
    assert client.get(reverse("pieces")).status_code == 302
