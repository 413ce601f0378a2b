"""The files of an installation: those that rows of the database name, and the artists' own models."""

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from django.apps import apps
from django.conf import settings
from django.core.files.storage import default_storage
from django.db import models

from enamel.core.files import PARTIAL
from enamel.storage.files import file_fields

PICTURES = "pictures"
"""Name of the storage in a backup; the other folders are named by `folders`."""


@dataclass(frozen=True, slots=True)
class Reference:
    """A stored file that a row names."""

    model: type[models.Model]
    pk: Any
    field: str
    name: str

    @property
    def derived(self) -> bool:
        """Whether Enamel makes the file again once the row's field is empty."""
        return self.field in getattr(self.model, "DERIVED_FILES", ())

    def __str__(self) -> str:
        return f"{self.name}, {self.field} of {self.model._meta.verbose_name} {self.pk}"


def references() -> Iterator[Reference]:
    """Yield every stored file that a row names, over all models with file fields."""
    for model in apps.get_models():
        fields = file_fields(model)
        if not fields:
            continue
        for pk, *names in model._base_manager.values_list("pk", *fields).iterator():
            for field, name in zip(fields, names, strict=True):
                if name:
                    yield Reference(model, pk, field, name)


def stored_names(folder: str = "") -> Iterator[str]:
    """Yield the names of all files in storage, in order."""
    try:
        inner, files = default_storage.listdir(folder)
    except FileNotFoundError:
        return
    place = f"{folder}/" if folder else ""
    for name in sorted(files):
        yield f"{place}{name}"
    for name in sorted(inner):
        yield from stored_names(f"{place}{name}")


def folders() -> dict[str, Path]:
    """Return the folders with files that the database does not name, by their name in a backup."""
    return {
        "models": Path(os.environ["ENAMEL_MODELS"]),
        "profiles": Path(os.environ["ENAMEL_PROFILES"]),
        "uploads": Path(settings.KILN_WORK) / "uploads",
    }


@dataclass(frozen=True, slots=True)
class Source:
    """A file to back up or to restore: in storage, or in one of the folders."""

    folder: str
    name: str

    @property
    def path(self) -> Path | None:
        """Where it is on this machine; None for a file in storage."""
        return None if self.folder == PICTURES else folders()[self.folder] / self.name

    def size(self) -> int:
        return self.path.stat().st_size if self.path else default_storage.size(self.name)

    def open(self) -> IO[bytes]:
        return self.path.open("rb") if self.path else default_storage.open(self.name, "rb")

    def __str__(self) -> str:
        return f"{self.folder}/{self.name}"

    @classmethod
    def from_text(cls, text: str) -> "Source":
        """Return the source that `str` wrote."""
        folder, _, name = text.partition("/")
        return cls(folder, name)


def sources(*, derived: bool = True) -> Iterator[Source]:
    """Yield every file that an installation needs to continue on another machine.

    Parameters
    ----------
    derived : whether to include files that Enamel can make again from the others.
    """
    named = {one.name for one in references() if derived or not one.derived}
    for name in sorted(named):
        yield Source(PICTURES, name)
    for folder, root in folders().items():
        for path in sorted(root.rglob("*")):
            if path.is_file() and not path.name.endswith(PARTIAL):
                yield Source(folder, path.relative_to(root).as_posix())
