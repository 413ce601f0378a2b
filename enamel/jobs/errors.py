"""Tell artists why a job failed."""

import logging

from django.db import InterfaceError, OperationalError

from enamel.core.errors import Refusal
from enamel.storage.disk import OutOfRoom, is_out_of_room

logger = logging.getLogger(__name__)


def describe_error(error: Exception, work: str) -> str:
    """Return the sentence for an error, which is logged when it was not foreseen.

    A lost database is raised again: nothing can be noted without it, and the job is tried again when it
    is back. So is a full disk, as `OutOfRoom`.

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
        reason = error.strerror or str(error) or type(error).__name__
        return f"A file could not be read or written ({reason}). What was finished is kept."
    return f"Something went wrong inside Enamel; the kiln's log has the details under “{work}”."
