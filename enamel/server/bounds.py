"""Limits on request bodies, in bytes and time: small for strangers, large enough for files for artists."""

import asyncio
import json
from collections.abc import Awaitable, Callable, Mapping, MutableMapping
from contextlib import suppress
from http import HTTPStatus
from http.cookies import CookieError, SimpleCookie
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import connection
from django.utils import timezone

from enamel.accounts.models import Session, Token

Scope = MutableMapping[str, Any]
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Scope, Receive, Send], Awaitable[None]]

STRANGERS_BYTES = 1_000_000
FILES_AT_ONCE = 20
"""A page with scripts sends its files one by one; a plain form may send several at once."""
PAUSE_SECONDS = 30.0
"""Longest pause between two parts of a body."""
LEAST_RATE = 5_000
"""Least rate of a body in bytes a second, once the first pause is over."""
LINGER_SECONDS = 5.0
"""How long the rest of a refused body is read and discarded, so that its sender gets to read the answer."""
TOO_MUCH = "This is more than may be sent at once. Nothing was kept."
TOO_SLOW = "What was sent did not come to its end in time. Nothing was kept; send it again."


class BodyRefused(Exception):
    """A body is longer than allowed, or comes too slowly."""

    def __init__(self, status: HTTPStatus, words: str) -> None:
        super().__init__(words)
        self.status = status
        self.words = words


def bounded(application: Application) -> Application:
    """Return an ASGI application that bounds what it reads of a body, in bytes and in time.

    Senders with a valid session or token may send files; all others at most `STRANGERS_BYTES`.
    """

    async def served(scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await application(scope, receive, send)
            return
        headers = {name.lower(): value for name, value in scope["headers"]}
        try:
            most = await _most_bytes(headers)
            await application(scope, _bounded(receive, most), send)
        except BodyRefused as unwanted:
            await _refuse(scope, receive, send, unwanted)

    return served


async def _most_bytes(headers: Mapping[bytes, bytes]) -> int:
    """Return how many bytes the body of a request may have."""
    given = headers.get(b"content-length", b"")
    length = int(given) if given.isdigit() and len(given) < 16 else None
    if length is None and b"transfer-encoding" not in headers:
        return STRANGERS_BYTES
    most = STRANGERS_BYTES
    if length is None or length > most:
        known = sync_to_async(is_known, thread_sensitive=False)
        if await known(headers.get(b"cookie", b""), headers.get(b"authorization", b"")):
            most = int(FILES_AT_ONCE * settings.MAX_UPLOAD_MB * 1e6)
    if length is not None and length > most:
        raise BodyRefused(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, TOO_MUCH)
    return most


def _bounded(receive: Receive, most: int) -> Receive:
    """Return a ``receive`` that raises `BodyRefused` when the body is too long or too slow."""
    came = 0
    whole = False
    began = asyncio.get_running_loop().time()

    async def receive_bounded() -> Message:
        nonlocal came, whole
        if whole:  # after the body only a disconnect follows
            return await receive()
        left = began + PAUSE_SECONDS + came / LEAST_RATE - asyncio.get_running_loop().time()
        try:
            message = await asyncio.wait_for(receive(), min(PAUSE_SECONDS, max(0.0, left)))
        except TimeoutError:
            raise BodyRefused(HTTPStatus.REQUEST_TIMEOUT, TOO_SLOW) from None
        came += len(message.get("body", b""))
        whole = not message.get("more_body", False)
        if came > most:
            raise BodyRefused(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, TOO_MUCH)
        return message

    return receive_bounded


def is_known(cookies: bytes, authorization: bytes) -> bool:
    """Return whether a request has a valid session or token. Its rights are checked later."""
    try:
        return has_session(cookies) or has_token(authorization)
    finally:
        connection.close()


def has_session(cookies: bytes) -> bool:
    """Return whether the cookies name an existing session."""
    try:
        morsel = SimpleCookie(cookies.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    if morsel is None:
        return False
    known = Session.objects.filter(session_key=morsel.value, expire_date__gt=timezone.now())
    return known.exists()


def has_token(authorization: bytes) -> bool:
    """Return whether an Authorization header holds a token whose owner may sign in."""
    kind, _, text = authorization.decode("latin-1").partition(" ")
    return kind.casefold() == "bearer" and Token.objects.known(text.strip()) is not None


async def _refuse(scope: Scope, receive: Receive, send: Send, unwanted: BodyRefused) -> None:
    """Answer as the caller expects: the API in JSON, pages in plain text."""
    if scope["path"].startswith("/api/"):
        kind, body = b"application/json", json.dumps({"error": unwanted.words, "field": ""})
    else:
        kind, body = b"text/plain; charset=utf-8", unwanted.words
    sent = body.encode()
    length = str(len(sent)).encode()
    head = [(b"content-type", kind), (b"content-length", length), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": int(unwanted.status), "headers": head})
    await send({"type": "http.response.body", "body": sent, "more_body": True})
    await _read_on(receive)
    await send({"type": "http.response.body", "body": b""})


async def _read_on(receive: Receive) -> None:
    """Discard the rest of the body, for a while: a sender who is cut off does not read the answer."""

    async def until_the_end() -> None:
        while (await receive()).get("more_body", False):
            pass

    with suppress(TimeoutError):
        await asyncio.wait_for(until_the_end(), LINGER_SECONDS)
