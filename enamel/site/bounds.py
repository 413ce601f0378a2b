"""Bodies of requests are refused by their size before they are stored, small ones for strangers."""

from collections.abc import Awaitable, Callable, MutableMapping
from http.cookies import CookieError, SimpleCookie
from typing import Any

from django.conf import settings
from django.contrib.sessions.models import Session
from django.utils import timezone

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
Application = Callable[[Scope, Receive, Send], Awaitable[None]]

STRANGERS_BYTES = 1_000_000
FILES_AT_ONCE = 20
"""A page sends its files one by one; a form without scripts may send several."""


class TooMuch(Exception):
    """A body goes on beyond what it may be."""


def bounded(application: Application) -> Application:
    """An ASGI application that reads no more of a body than the sender may send."""

    async def served(scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await application(scope, receive, send)
            return
        headers = {name.lower(): value for name, value in scope["headers"]}
        said = headers.get(b"content-length", b"")
        length = int(said) if said.isdigit() and len(said) < 16 else None
        most = STRANGERS_BYTES
        sends = length is not None or b"transfer-encoding" in headers
        if (
            sends
            and (length is None or length > most)
            and await _signed_in(headers.get(b"cookie", b""))
        ):
            most = int(FILES_AT_ONCE * settings.MAX_UPLOAD_MB * 1e6)
        if length is not None and length > most:
            await _refuse(send)
            return
        came = 0

        async def receive_bounded() -> MutableMapping[str, Any]:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > most:
                raise TooMuch
            return message

        try:
            await application(scope, receive_bounded, send)
        except TooMuch:
            await _refuse(send)

    return served


async def _signed_in(cookies: bytes) -> bool:
    """Whether a session of that name is there; its content is looked at later."""
    try:
        morsel = SimpleCookie(cookies.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    if morsel is None:
        return False
    known = Session.objects.filter(session_key=morsel.value, expire_date__gt=timezone.now())
    return await known.aexists()


async def _refuse(send: Send) -> None:
    words = b"This is more than may be sent at once."
    head = [(b"content-type", b"text/plain"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": 413, "headers": head})
    await send({"type": "http.response.body", "body": words})
