"""A store of finished tiles by content key, so that nothing computes the same tile twice.

A swatch computes tiles that a firing needs later. Both look here first: a tile's key is the hash of
everything that its pixels depend on.
"""

import fcntl
import hashlib
import math
import os
import time
from contextlib import suppress
from pathlib import Path
from typing import Protocol

import numpy as np

from enamel.core.files import PARTIAL, whole_file
from enamel.core.imaging.canvas import SampleArray

SUFFIX = ".npy"
COUNT = "added"
"""File in the folder that holds the bytes added since the last tidying."""
ROOM = 0.1
"""Fraction of the limit that tidying frees; tidying is repeated after that number of further bytes."""
LEFT_SECONDS = 3600
"""Unfinished files older than this were left by a process that was killed."""


class TileStore(Protocol):
    """The interface of stores of finished tiles."""

    def get(self, key: str) -> SampleArray | None: ...

    def put(self, key: str, samples: SampleArray) -> None: ...


class FolderStore:
    """Tiles as files, together at most ``limit_mb``; the longest unused are deleted for new ones.

    What was added since files were last deleted is counted in the folder itself, for all processes that
    use it and for those that come after them.
    """

    def __init__(self, folder: Path, limit_mb: float) -> None:
        self.folder = folder
        self.limit = limit_mb * 1e6

    def _path(self, key: str) -> Path:
        return self.folder / key[:2] / f"{key}{SUFFIX}"

    def get(self, key: str) -> SampleArray | None:
        path = self._path(key)
        try:
            samples: SampleArray = np.load(path)
            os.utime(path)
        except (OSError, ValueError):  # missing, or truncated by a loss of power
            return None
        return samples

    def put(self, key: str, samples: SampleArray) -> None:
        with whole_file(self._path(key)) as partial, partial.open("wb") as file:
            np.save(file, samples)
        if self._count(samples.nbytes) > ROOM * self.limit:
            self.tidy()

    def _count(self, added: int) -> float:
        """Return the bytes added since the last tidying, including those just added; infinite where there
        is no count.
        """
        with (self.folder / COUNT).open("a+") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            file.seek(0)
            written = file.read()
            total = int(written) + added if written.isdigit() else math.inf
            file.truncate(0)
            file.write("0" if total > ROOM * self.limit else str(total))
        return total

    @property
    def bytes(self) -> int:
        """Bytes of all tiles."""
        return sum(size for _, size, _ in self._tiles())

    def _tiles(self) -> list[tuple[float, int, Path]]:
        """Return the time of last use, the bytes and the file of every tile."""
        found = []
        for path in self.folder.glob(f"*/*{SUFFIX}"):
            try:
                facts = path.stat()
            except FileNotFoundError:  # another process tidies too
                continue
            found.append((facts.st_mtime, facts.st_size, path))
        return found

    def tidy(self) -> None:
        """Delete the least recently used tiles until there is room for new ones, and files left by killed
        processes.
        """
        for path in self.folder.glob(f"*/*{PARTIAL}"):
            with suppress(FileNotFoundError):
                if time.time() - path.stat().st_mtime > LEFT_SECONDS:
                    path.unlink()
        found = self._tiles()
        total = sum(size for _, size, _ in found)
        for _, size, path in sorted(found):
            if total <= (1 - ROOM) * self.limit:
                break
            path.unlink(missing_ok=True)
            total -= size


def key_of(*parts: object) -> str:
    """Return the sha256 over values and arrays, each with its type and shape, in order."""
    digest = hashlib.sha256()
    for part in parts:
        if isinstance(part, np.ndarray):
            digest.update(f"array {part.dtype} {part.shape}".encode())
            digest.update(np.ascontiguousarray(part).data)
        else:
            digest.update(f"value {part!r};".encode())
    return digest.hexdigest()
