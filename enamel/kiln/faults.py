"""What an artist is told of work that broke off."""

import errno
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import InterfaceError, OperationalError
from django.db.models import QuerySet

from enamel.core.errors import Refusal
from enamel.kiln.storage.layers import free_bytes

logger = logging.getLogger(__name__)

NO_ROOM_BYTES = 2**20
"""Less free than this, and any failed write is taken for a full disk."""
LEAST_ROOM_BYTES = 64 * 2**20
"""Less free than this, and no work is begun."""
FULL = (
    "The disk is full. What was finished is kept, and this resumes when there is room: delete "
    "print files or pieces, or make room otherwise."
)

NO_ROOM = (
    "What was sent could not be stored and nothing was kept. Make room on the disk, or delete print files "
    "and pieces; then send it again."
)
"""For who sends something to a full disk."""


class OutOfRoom(Exception):
    """Work that can't go on before there is room on the disk again; its job is tried again until then."""

    def __init__(self) -> None:
        super().__init__(FULL)


def require_some_room() -> None:
    """Let no work begin while the disk is full.

    Raises
    ------
    OutOfRoom
    """
    if free_bytes(Path(settings.KILN_WORK)) < LEAST_ROOM_BYTES:
        raise OutOfRoom


def is_out_of_room(error: BaseException | None) -> bool:
    """Return whether an error came of a full disk."""
    if not isinstance(error, OSError):
        return False
    return error.errno in (errno.ENOSPC, errno.EDQUOT) or (
        free_bytes(Path(settings.KILN_WORK)) < NO_ROOM_BYTES
    )


@contextmanager
def waiting_for_room(row: QuerySet[Any], **fields: Any) -> Iterator[None]:
    """Put a row back to where it waits when the disk is full, with the reason; its job is tried again."""
    try:
        yield
    except OutOfRoom as error:
        row.update(error=str(error), **fields)
        raise


def describe_error(error: Exception, work: str) -> str:
    """Return the sentence for an error, which goes to the log when nobody could have meant it.

    A lost database is raised again: nothing can be noted without it, and the work is taken up again when
    it is back. So is a full disk, as `OutOfRoom`.

    Parameters
    ----------
    work : what broke off, as the log names it.
    """
    if isinstance(error, Refusal):
        return str(error)
    if isinstance(error, OperationalError | InterfaceError | OutOfRoom):
        raise error
    if is_out_of_room(error):
        raise OutOfRoom from error
    logger.error("%s", work, exc_info=error)
    if isinstance(error, OSError):
        return _of_file(error)
    return f"Something went wrong inside Enamel; the kiln's log has the details under “{work}”."


def _of_file(error: OSError) -> str:
    reason = error.strerror or str(error) or type(error).__name__
    return f"A file could not be read or written ({reason}). What was finished is kept."
