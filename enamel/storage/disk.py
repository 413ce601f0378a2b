"""Room on the disk: refuse work that does not fit, and recognise a full disk."""

import errno
import shutil
from pathlib import Path

from django.conf import settings

from enamel.core.errors import Refusal
from enamel.core.tiling.tilestore import FolderStore

NO_ROOM_BYTES = 2**20
"""With less free than this, any failed write is taken for a full disk."""
LEAST_ROOM_BYTES = 64 * 2**20
"""With less free than this, no work is begun."""
SHARED_TILES = "shared-tiles"
"""Folder of tiles, under the kiln's work, that firings and swatches share."""
FULL = (
    "The disk is full. What was finished is kept, and this resumes when there is room: delete "
    "print files or pieces, or make room otherwise."
)

NO_ROOM = (
    "What was sent could not be stored and nothing was kept. Make room on the disk, or delete print files "
    "and pieces; then send it again."
)
"""Shown to people whose upload meets a full disk."""


class OutOfRoom(Exception):
    """Work cannot go on before there is room on the disk again; its job is tried again until then."""

    def __init__(self) -> None:
        super().__init__(FULL)


def free_bytes(folder: Path) -> int:
    """Return the room on the disk under a folder, which is made if need be."""
    folder.mkdir(parents=True, exist_ok=True)
    return shutil.disk_usage(folder).free


def require_room(needed_mb: float, folder: Path) -> None:
    """Refuse work that the disk under ``folder`` cannot hold."""
    free_mb = free_bytes(folder) / 1e6
    if needed_mb > free_mb:
        raise Refusal(
            f"This needs {needed_mb / 1000:.1f} GB of disk while it runs and {free_mb / 1000:.1f} GB "
            "are free. Nothing was started; make room or choose a smaller size."
        )


def require_some_room() -> None:
    """Raise `OutOfRoom` while the disk is full, so that no work begins. Shared tiles, which can be computed
    again, are deleted first.

    Raises
    ------
    OutOfRoom
    """
    work = Path(settings.KILN_WORK)
    if free_bytes(work) < LEAST_ROOM_BYTES:
        FolderStore(work / SHARED_TILES, 0).tidy()
        if free_bytes(work) < LEAST_ROOM_BYTES:
            raise OutOfRoom


def is_out_of_room(error: BaseException | None) -> bool:
    """Return whether a full disk caused an error."""
    if not isinstance(error, OSError):
        return False
    return error.errno in (errno.ENOSPC, errno.EDQUOT) or (
        free_bytes(Path(settings.KILN_WORK)) < NO_ROOM_BYTES
    )
