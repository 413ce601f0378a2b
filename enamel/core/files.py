"""Atomic files: complete or absent, also after a kill or a loss of power."""

import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from uuid import uuid4

PARTIAL = ".part"
"""Ending of files that are being written."""


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """Provide a temporary path, whose file becomes ``path`` when the block ends without an exception.

    Until then, and after an exception, ``path`` is unchanged. Temporary names are unique, so several
    writers may write the same file at once; the last one wins. Missing folders are made.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.name}.{uuid4().hex[:12]}{PARTIAL}")
    try:
        yield partial
        put_in_place(partial, path)
    finally:
        partial.unlink(missing_ok=True)


def put_in_place(partial: Path, path: Path) -> None:
    """Rename a finished file on the same disk, durably: its content is on the disk before its name."""
    settle(partial)
    os.replace(partial, path)
    settle(path.parent)


def settle(path: Path) -> None:
    """Wait until a file's content, or a folder's list of files, is on the disk."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def hash_of(path: Path) -> str:
    """Return the sha256 of a file, read in blocks, in hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
