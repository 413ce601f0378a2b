"""The page of all print files."""

from collections.abc import Iterable
from typing import Any

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser

from enamel.library.models import Piece
from enamel.prints.models import KEPT, OutputPreset, PrintFile

MOST_PIECES = 200


def present_files(owner: AbstractBaseUser, files: Iterable[PrintFile]) -> dict[str, Any]:
    """Return the page of all print files."""
    listed = list(files)
    return {
        "files": listed,
        "kept_days": KEPT.days,
        "outputs": OutputPreset.objects.filter(owner_id=owner.pk),
        "pieces": Piece.objects.of(owner).order_by("-created").with_newest_layer()[:MOST_PIECES],
        "print_folder": settings.PRINT_FOLDER,
        "total": sum(made.file.size for made in listed if made.file),
    }
