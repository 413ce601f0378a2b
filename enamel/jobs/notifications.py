"""Notify open pages of changes in the database, by server-sent events (WHATWG HTML, 9.2).

Triggers notify (`enamel.jobs.triggers`), one connection of each web process listens, and each open page
is sent an event when something of its artist's has changed; the page then asks what it is. Where no event
arrives, as behind a proxy that buffers streams, pages poll.
"""

import asyncio
import logging
from collections.abc import AsyncIterator
from typing import Any
from weakref import WeakKeyDictionary

import psycopg
from django.db import connection

CHANNEL = "enamel"
EVERYBODY = "0"
TOGETHER_SECONDS = 0.2
"""Changes within this time are one event."""
KEEP_ALIVE_SECONDS = 15.0
"""After so long without an event a comment is sent, which also shows whether the page is still open."""
RETRY_SECONDS = 2.0
"""Pause before a lost connection to the database is tried again."""

logger = logging.getLogger(__name__)


class Hub:
    """Listens for one process, and wakes the pages that a notification concerns."""

    def __init__(self) -> None:
        self.waiting: dict[asyncio.Event, str] = {}
        """The event that wakes each page, with its artist's id."""
        self.listening: asyncio.Task[None] | None = None

    async def stream(self, owner_id: int) -> AsyncIterator[bytes]:
        """Yield the events of a page, until it is closed."""
        if self.listening is None or self.listening.done():
            self.listening = asyncio.create_task(self._listen())
        awake = asyncio.Event()
        self.waiting[awake] = str(owner_id)
        try:
            yield b"retry: 2000\ndata: here\n\n"
            while True:
                try:
                    await asyncio.wait_for(awake.wait(), KEEP_ALIVE_SECONDS)
                except TimeoutError:
                    yield b": still here\n\n"
                    continue
                await asyncio.sleep(TOGETHER_SECONDS)
                awake.clear()
                yield b"data: news\n\n"
        finally:
            del self.waiting[awake]
            if not self.waiting and self.listening is not None:
                self.listening.cancel()
                self.listening = None  # the next page must not join a listener that is ending

    async def _listen(self) -> None:
        """Wait for notifications as long as a page is open; a lost database is tried again."""
        while self.waiting:
            try:
                async with await psycopg.AsyncConnection.connect(
                    **_address(), autocommit=True
                ) as listening:
                    await listening.execute(f"LISTEN {CHANNEL}")
                    self._wake(EVERYBODY)  # something may have changed before anyone listened
                    while self.waiting:
                        async for received in listening.notifies(timeout=KEEP_ALIVE_SECONDS):
                            self._wake(received.payload)
            except psycopg.Error as error:
                logger.warning("notifications are not received: %s; tried again", error)
                await asyncio.sleep(RETRY_SECONDS)

    def _wake(self, owner: str) -> None:
        for awake, artist in self.waiting.items():
            if owner in (EVERYBODY, artist):
                awake.set()


_hubs: "WeakKeyDictionary[asyncio.AbstractEventLoop, Hub]" = WeakKeyDictionary()


async def events(owner_id: int) -> AsyncIterator[bytes]:
    """Yield the events of a page that an artist has open."""
    hub = _hubs.setdefault(asyncio.get_running_loop(), Hub())
    async for event in hub.stream(owner_id):
        yield event


def _address() -> dict[str, Any]:
    """Return the connection parameters of the database for psycopg."""
    known = connection.settings_dict
    return {
        "dbname": known["NAME"], "user": known["USER"], "password": known["PASSWORD"],
        "host": known["HOST"], "port": known["PORT"],
    }  # fmt: skip
