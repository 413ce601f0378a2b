"""Files sent to a service in parts, for a turn of some seconds at a time."""

import time
from collections.abc import Callable
from typing import IO

from enamel.orders.clients.client import Rejected, ServiceClient, ServiceError, Unknown

PART = 8_000_000
"""Bytes sent in one request; after a break it goes on behind the last that arrived."""
TRIES = 6
"""Parts that may fail in a row in one turn; then the next turn goes on after a pause."""
PAUSE_SECONDS = 0.5
TURN_SECONDS = 4.0
"""How long a job stays with one order; then others get their turn."""


class Turn:
    """The time that a job has for one order before others get theirs."""

    def __init__(self) -> None:
        self._until = time.monotonic() + TURN_SECONDS

    @property
    def over(self) -> bool:
        return time.monotonic() > self._until

    @property
    def seconds_left(self) -> float:
        return max(0.0, self._until - time.monotonic())


def send_file(
    client: ServiceClient,
    path: str,
    file: IO[bytes],
    total: int,
    arrived: Callable[[], int | None],
    turn: Turn,
) -> bool:
    """Send a file in parts; return whether all of it is there by the end of this turn.

    Parameters
    ----------
    arrived : asks how many bytes are there; None when all of it is.

    Raises
    ------
    Rejected
        When the service does not want the file.
    Unknown
        When parts failed again and again, or nothing more arrives.
    """
    failed, before = 0, -1
    while (start := arrived()) is not None:
        if before >= 0 and turn.over:
            return False
        if not 0 <= start < total:
            raise Unknown("The service says that more arrived than the file has.")
        failed = failed + 1 if start == before else 0
        if failed > TRIES:
            raise Unknown("Parts of the file do not arrive.")
        if failed:
            time.sleep(PAUSE_SECONDS * failed)
        before = start
        file.seek(start)
        try:
            client.send_part(path, file.read(PART), start, total)
        except Rejected:
            raise
        except ServiceError:
            continue  # how much of it arrived is asked next
    return True
