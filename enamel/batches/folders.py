"""The folder of pictures that batches take: its subfolders, and the complete files in them."""

import time
from pathlib import Path

from django.conf import settings
from django.db import IntegrityError, transaction

from enamel.batches.models import Batch, BatchItem
from enamel.core.errors import Refusal
from enamel.core.intake.pixels import taken_for_picture

WHOLE_SECONDS = 3.0
"""A file that has not changed for so long counts as complete."""


def choices() -> list[str]:
    """Return the folders that pictures can come from, by their path below the workshop's folder."""
    root = settings.INCOMING
    if not root.is_dir():
        return []
    return [
        "",
        *sorted(path.name for path in root.iterdir() if path.is_dir() and not _hidden(path)),
    ]


def place_of(folder: str) -> Path:
    """Return the path of a chosen folder.

    Raises
    ------
    Refusal
        When there is no such folder.
    """
    if folder not in choices():
        raise Refusal(
            f"There is no folder “{folder}” in {settings.INCOMING}, where pictures for batches lie."
        )
    path: Path = settings.INCOMING / folder
    return path


def counted() -> dict[str, int]:
    """Return the number of pictures in each folder that they can come from."""
    return {folder: len(_pictures(settings.INCOMING / folder)) for folder in choices()}


def pictures_in(folder: str) -> dict[str, str]:
    """Return the picture files of a folder: names, with a stamp that changes when the file does."""
    found = {}
    for path in _pictures(place_of(folder)):
        facts = path.stat()
        found[path.name] = f"{facts.st_size}-{facts.st_mtime_ns}"
    return found


def _pictures(place: Path) -> list[Path]:
    return sorted(path for path in place.iterdir() if taken_for_picture(path) and not _hidden(path))


def look(batch: Batch) -> None:
    """Add the complete files of a batch's folder to it, and store the stamps of those still being written.

    A file that changes later counts as another picture. Where the folder is not watched, this ends when
    all files in it are imported.
    """
    now = time.time()
    known = set(batch.items.exclude(stamp="").values_list("source", "stamp"))
    growing = {}
    last = batch.items.order_by("-place").values_list("place", flat=True).first() or 0
    for name, stamp in pictures_in(batch.folder).items():
        if (name, stamp) in known:
            continue
        before, since = batch.seen.get(name, ["", now])
        since = since if before == stamp else now
        if now - since < WHOLE_SECONDS:
            growing[name] = [stamp, since]
            continue
        last += 1
        try:
            with transaction.atomic():
                BatchItem.objects.create(batch=batch, place=last, source=name, stamp=stamp)
        except IntegrityError:
            continue  # another worker has looked meanwhile
    batch.seen, batch.looking = growing, batch.watched or bool(growing)
    batch.save(update_fields=["seen", "looking"])


def _hidden(path: Path) -> bool:
    return path.name.startswith((".", "~"))
