"""How much a request may send, by whom, and what pages say to caches."""

import asyncio
from collections.abc import Callable, MutableMapping
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.contrib.sessions.backends.db import SessionStore
from django.db import connections
from django.test import Client
from django.urls import reverse

from enamel.kiln.models import Piece
from enamel.site import bounds
from enamel.site.bounds import STRANGERS_BYTES, bounded

Scope = MutableMapping[str, Any]


def answered(length: int, *, said: bool = True, signed_in: bool = False) -> tuple[int, int]:
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

    async def known(cookies: bytes) -> bool:
        return signed_in

    headers = [(b"content-length", str(length).encode())] if said else []
    real, bounds._signed_in = bounds._signed_in, known
    try:
        asyncio.run(bounded(application)({"type": "http", "headers": headers}, receive, send))
    finally:
        bounds._signed_in = real
    return statuses[0], given


def test_a_stranger_may_send_little_whatever_is_said_of_it() -> None:
    assert answered(STRANGERS_BYTES) == (200, STRANGERS_BYTES)
    assert answered(STRANGERS_BYTES + 1) == (413, 0)
    status, given = answered(5 * STRANGERS_BYTES, said=False)
    assert status == 413
    assert given <= STRANGERS_BYTES


def test_who_is_signed_in_may_send_pictures(settings: Any) -> None:
    settings.MAX_UPLOAD_MB = 0.1
    assert answered(1_500_000, signed_in=True) == (200, 1_500_000)
    assert answered(2_500_000, signed_in=True) == (413, 0)


@pytest.mark.django_db(transaction=True)
def test_a_session_is_looked_up_not_believed() -> None:
    async def signed_in(cookies: bytes) -> bool:
        found = await bounds._signed_in(cookies)
        await sync_to_async(connections.close_all)()
        return found

    session = SessionStore()
    session.create()
    for cookies, there in (
        (f"sessionid={session.session_key}", True), ("sessionid=made-up", False), ("", False),
        ("a=b; =;;", False),
    ):  # fmt: skip
        assert asyncio.run(signed_in(cookies.encode())) is there


def test_personal_pages_are_kept_by_no_cache_in_between(signed_in: Client, piece: Piece) -> None:
    for address in (reverse("pieces"), piece.get_absolute_url(), reverse("models")):
        said = signed_in.get(address).headers["Cache-Control"]
        assert "private" in said
        assert "no-cache" in said


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
    apply = reverse("apply-house", args=[piece.pk])
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
