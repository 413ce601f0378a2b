"""Stored files: the fields that name them, and moving finished local files into storage."""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.core.files import File
from django.db.models import FileField, Model
from django.db.models.fields.files import FieldFile

from enamel.core.files import whole_file


def file_fields(model: type[Model]) -> list[str]:
    """Return the names of a model's fields that name stored files."""
    return [field.name for field in model._meta.concrete_fields if isinstance(field, FileField)]


def keep_file(field: FieldFile, path: Path, name: str) -> None:
    """Put a finished local file into storage: it is moved where storage is local, else copied."""
    storage = field.storage
    target = field.field.generate_filename(field.instance, name)
    try:
        local = Path(storage.path(target))
    except NotImplementedError:
        with path.open("rb") as file:
            field.save(name, File(file), save=False)
        path.unlink()
        return
    with whole_file(local) as partial:
        shutil.move(path, partial)
    field.name = target


@contextmanager
def deleted_on_error() -> Iterator[list[FieldFile]]:
    """Provide a list for stored files, which are deleted when the block fails, as their rows are."""
    stored: list[FieldFile] = []
    try:
        yield stored
    except Exception:
        for file in stored:
            file.storage.delete(str(file.name))
        raise
