"""Live news: what changes in the database is told to open pages, by server-sent events (WHATWG HTML, 9.2).

The database notifies (`kiln/migrations/0020_news.py`), one connection of each web process listens, and
each open page hears that something of its artist's has changed; what it is, the page then asks for. Where
no event arrives, as behind a proxy that holds streams back, pages ask by themselves as before.
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
"""What changes within this time is told once."""
STILL_SECONDS = 15.0
"""A sign of life is sent after so long without news, which also finds out whether the page is still there."""
AGAIN_SECONDS = 2.0
"""Pause before a lost database is tried again."""

logger = logging.getLogger(__name__)


class Hub:
    """Listens for one process, and wakes the pages that news concern."""

    def __init__(self) -> None:
        self.waiting: dict[asyncio.Event, str] = {}
        """What wakes each page, with its artist's id."""
        self.listening: asyncio.Task[None] | None = None

    async def stream(self, owner_id: int) -> AsyncIterator[bytes]:
        """Yield the events of a page, until it goes."""
        if self.listening is None or self.listening.done():
            self.listening = asyncio.create_task(self._listen())
        awake = asyncio.Event()
        self.waiting[awake] = str(owner_id)
        try:
            yield b"retry: 2000\ndata: here\n\n"
            while True:
                try:
                    await asyncio.wait_for(awake.wait(), STILL_SECONDS)
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
                self.listening = None  # the next page must not join one that is ending

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
                        async for received in listening.notifies(timeout=STILL_SECONDS):
                            self._wake(received.payload)
            except psycopg.Error as error:
                logger.warning("news are not heard: %s; tried again", error)
                await asyncio.sleep(AGAIN_SECONDS)

    def _wake(self, owner: str) -> None:
        for awake, artist in self.waiting.items():
            if owner in (EVERYBODY, artist):
                awake.set()


_hubs: "WeakKeyDictionary[asyncio.AbstractEventLoop, Hub]" = WeakKeyDictionary()


async def events(owner_id: int) -> AsyncIterator[bytes]:
    """Yield the events of a page of an artist's."""
    hub = _hubs.setdefault(asyncio.get_running_loop(), Hub())
    async for event in hub.stream(owner_id):
        yield event


def _address() -> dict[str, Any]:
    """Return where the database is, as a connection of one's own takes it."""
    known = connection.settings_dict
    return {
        "dbname": known["NAME"], "user": known["USER"], "password": known["PASSWORD"],
        "host": known["HOST"], "port": known["PORT"],
    }  # fmt: skip
