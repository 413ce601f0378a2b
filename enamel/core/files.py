"""Files that are whole or not there, also after a kill or a loss of power."""

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
    """Provide a path to write to; what was written there becomes ``path`` when the block ends well.

    Until then, and when it does not end well, ``path`` is as it was. The name is of no other writer, so
    several may make the same file at once; the last one stays. Missing folders are made.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.name}.{uuid4().hex[:12]}{PARTIAL}")
    try:
        yield partial
        put_in_place(partial, path)
    finally:
        partial.unlink(missing_ok=True)


def put_in_place(partial: Path, path: Path) -> None:
    """Rename a finished file on the same disk, once its content and then its name are on the disk."""
    settle(partial)
    os.replace(partial, path)
    settle(path.parent)


def settle(path: Path) -> None:
    """Wait until what a file holds, or which files a folder holds, is on the disk."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def hash_of(path: Path) -> str:
    """Checksum of a file's content, read in blocks, in hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
