"""Finished local files into storage."""

import shutil
from pathlib import Path

from django.core.files import File
from django.db.models.fields.files import FieldFile

from enamel.core.files import whole_file


def keep_file(field: FieldFile, path: Path, name: str) -> None:
    """Put a finished local file into storage: moved where storage is local, else copied."""
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
