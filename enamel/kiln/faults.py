"""What an artist is told of work that broke off."""

import errno
import logging
from pathlib import Path

from django.conf import settings
from django.db import InterfaceError, OperationalError

from enamel.core.errors import Refusal
from enamel.kiln.storage.layers import free_bytes

logger = logging.getLogger(__name__)

NO_ROOM_BYTES = 2**20
"""Less free than this, and any failed write is taken for a full disk."""


def describe_error(error: Exception, work: str) -> str:
    """Return the sentence for an error, which goes to the log when nobody could have meant it.

    A lost database is raised again: nothing can be noted without it, and the work is taken up again when
    it is back.

    Parameters
    ----------
    work : what broke off, as the log names it.
    """
    if isinstance(error, Refusal):
        return str(error)
    if isinstance(error, OperationalError | InterfaceError):
        raise error
    logger.error("%s", work, exc_info=error)
    if isinstance(error, OSError):
        return _of_file(error)
    return f"Something went wrong inside Enamel; the kiln's log has the details under “{work}”."


def _of_file(error: OSError) -> str:
    if error.errno == errno.ENOSPC or free_bytes(Path(settings.KILN_WORK)) < NO_ROOM_BYTES:
        return "The disk is full. What was finished is kept; make room, then go on."
    reason = error.strerror or str(error) or type(error).__name__
    return f"A file could not be read or written ({reason}). What was finished is kept."
