"""Send files to a service in parts, in turns of some seconds."""

import time
from collections.abc import Callable
from typing import IO

from enamel.orders.clients.client import Rejected, ServiceClient, ServiceError, Unknown

PART = 8_000_000
"""Bytes sent in one request. After a break, sending goes on behind the last byte that arrived."""
TRIES = 6
"""Most parts that may fail in a row in one turn. The next turn goes on after a pause."""
PAUSE_SECONDS = 0.5
TURN_SECONDS = 4.0
"""How long a turn is; then other orders get theirs."""


class Turn:
    """The time for one order before others get theirs."""

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
    """Send a file in parts; return whether it is complete by the end of this turn.

    Parameters
    ----------
    arrived : asks the service how many bytes have arrived; None when all have.

    Raises
    ------
    Rejected
        When the service refuses the file.
    Unknown
        When parts fail repeatedly, or nothing more arrives.
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
            continue  # the next request asks how much has arrived
    return True
