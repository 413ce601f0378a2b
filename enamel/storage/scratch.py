"""Files that live as long as a piece of work: in a folder of Enamel's own, swept when a worker starts."""

import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.core.files import File

LEFT_SECONDS = 24 * 3600
"""What is older was left by a process that was killed; nothing works on one thing for a day."""


def _place() -> Path:
    return Path(settings.KILN_WORK) / "passing"


@contextmanager
def passing(purpose: str) -> Iterator[Path]:
    """Provide a new folder, deleted when the block ends."""
    _place().mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(prefix=f"{purpose}-", dir=_place()) as folder:
        yield Path(folder)


def sweep() -> None:
    """Delete what processes that were killed have left."""
    if not _place().exists():
        return
    for folder in _place().iterdir():
        with suppress(FileNotFoundError):
            if time.time() - folder.stat().st_mtime > LEFT_SECONDS:
                shutil.rmtree(folder, ignore_errors=True)


def stored(upload: File, path: Path) -> Path:  # type: ignore[type-arg]
    """Return the upload as a file at that path."""
    with path.open("wb") as file:
        for chunk in upload.chunks():
            file.write(chunk)
    return path
