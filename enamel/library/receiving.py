"""Receive files that artists send: pictures, and pieces from other installations."""

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.core.files import File

from enamel.core.intake.pixels import examine
from enamel.library.archives.reading import is_archive
from enamel.library.models import Piece
from enamel.library.services import from_file
from enamel.storage.scratch import temporary_folder, write_upload
from enamel.uploads.models import Upload
from enamel.uploads.services import keep

AT_ONCE_MEGAPIXELS = 24.0
"""Pictures up to this size are read within the request: a second or two."""


def receive_file(owner: AbstractBaseUser, file: File, name: str) -> Piece | Upload:  # type: ignore[type-arg]
    """Return a new piece from a picture, or for a large one and for a piece's archive an upload that a
    worker reads.

    Raises
    ------
    Refusal
        When the file can't be used. Nothing is stored then.
    """
    with temporary_folder("import") as folder:
        path = write_upload(file, folder / "original")
        if is_archive(path):
            return keep(owner, path, Upload.Kind.PIECE, name)
        facts = examine(path, settings.IMPORT_LIMITS)
        if facts.size.megapixels <= AT_ONCE_MEGAPIXELS:
            return from_file(owner.pk, path, name, facts=facts)
        return keep(owner, path, Upload.Kind.PICTURE, name)
