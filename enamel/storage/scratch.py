"""Temporary files, in a folder of Enamel's own that is swept when a worker starts."""

import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.core.files import File

LEFT_SECONDS = 24 * 3600
"""Older files were left by processes that were killed: no work takes a day."""


def _place() -> Path:
    return Path(settings.KILN_WORK) / "passing"


@contextmanager
def temporary_folder(purpose: str) -> Iterator[Path]:
    """Provide a new folder, deleted when the block ends."""
    _place().mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(prefix=f"{purpose}-", dir=_place()) as folder:
        yield Path(folder)


def sweep() -> None:
    """Delete temporary files that killed processes have left."""
    if not _place().exists():
        return
    for folder in _place().iterdir():
        with suppress(FileNotFoundError):
            if time.time() - folder.stat().st_mtime > LEFT_SECONDS:
                shutil.rmtree(folder, ignore_errors=True)


def write_upload(upload: File, path: Path) -> Path:  # type: ignore[type-arg]
    """Write an upload to a path, and return the path."""
    with path.open("wb") as file:
        for chunk in upload.chunks():
            file.write(chunk)
    return path
