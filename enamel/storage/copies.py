"""Local paths for stored files. Where storage is remote, a copy is made and kept as long as there is room."""

import os
import shutil
import time
from contextlib import suppress
from pathlib import Path

from django.conf import settings
from django.core.files.storage import Storage

from enamel.core.files import whole_file

IN_USE_SECONDS = 600
"""A copy used within this time is not deleted."""
COPIED = 4 * 2**20
"""Bytes copied at a time."""


def local(storage: Storage, name: str) -> Path:
    """Return a stored file's path on this machine. Stored files never change, so a copy stays right."""
    try:
        return Path(storage.path(name))
    except NotImplementedError:
        return _copied(storage, name)


def _copied(storage: Storage, name: str) -> Path:
    copy = _place() / name
    with suppress(FileNotFoundError):
        os.utime(copy)
        return copy
    with (
        storage.open(name, "rb") as stored,
        whole_file(copy) as partial,
        partial.open("wb") as file,
    ):
        shutil.copyfileobj(stored, file, COPIED)
    _make_room()
    return copy


def _place() -> Path:
    return Path(settings.KILN_WORK) / "copies"


def _make_room() -> None:
    """Delete the least recently used copies until the others fit."""
    known = []
    for path in _place().rglob("*"):
        with suppress(FileNotFoundError):
            if path.is_file():
                known.append((path.stat().st_mtime, path.stat().st_size, path))
    total = sum(size for _, size, _ in known)
    for used, size, path in sorted(known):
        if total <= settings.COPIES_MB * 1e6 or time.time() - used < IN_USE_SECONDS:
            return
        path.unlink(missing_ok=True)
        total -= size
