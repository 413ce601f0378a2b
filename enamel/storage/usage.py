"""How much of the disk an artist's stored files take, by kind and by piece."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.apps import apps
from django.core.cache import cache
from django.core.files.storage import default_storage
from django.db import models

from enamel.storage.files import file_fields

KEPT_SECONDS = 60
"""How long a total is remembered, so that each start of work does not measure all files again."""


@dataclass(frozen=True, slots=True)
class Use:
    """Files of one kind, such as layers."""

    kind: str
    files: int
    bytes: int


@dataclass(frozen=True, slots=True)
class Usage:
    """What an artist's stored files take."""

    kinds: tuple[Use, ...]
    """The largest first; kinds without files are left out."""
    pieces: dict[Any, int]
    """Bytes by the id of the piece, with all that hangs on it."""

    @property
    def bytes(self) -> int:
        return sum(use.bytes for use in self.kinds)


def usage_of(owner_id: Any) -> Usage:
    """Return what the files of an artist's pieces take, those of recently deleted ones included.

    Files that are gone from storage count as empty: `enamel verify` reports them.
    """
    sizes: dict[str, int] = {}
    kinds: dict[str, set[str]] = defaultdict(set)
    pieces: dict[Any, set[str]] = defaultdict(set)
    for model, piece, name in _stored(owner_id):
        if name not in sizes:  # a file that rows of two kinds name counts for the first
            sizes[name] = _size(name)
            kinds[getattr(model, "FILES_ARE", str(model._meta.verbose_name_plural))].add(name)
        pieces[piece].add(name)
    uses = [
        Use(kind, len(names), sum(sizes[name] for name in names)) for kind, names in kinds.items()
    ]
    return Usage(
        tuple(sorted(uses, key=lambda use: -use.bytes)),
        {piece: sum(sizes[name] for name in names) for piece, names in pieces.items()},
    )


def bytes_of(owner_id: Any) -> int:
    """Return the bytes that an artist's stored files take, as of at most a minute ago."""
    key = f"stored-bytes-{owner_id}"
    total: int | None = cache.get(key)
    if total is None:
        total = usage_of(owner_id).bytes
        cache.set(key, total, KEPT_SECONDS)
    return total


def _stored(owner_id: Any) -> Iterator[tuple[type[models.Model], Any, str]]:
    """Yield the model, the piece and the name of every stored file of an artist's pieces."""
    for model in apps.get_models():
        fields = file_fields(model)
        if not fields:
            continue
        # from a model with files to its piece, as jobs have it too
        to_piece: str = model.PIECE  # type: ignore[attr-defined]
        prefix = f"{to_piece}__" if to_piece else ""
        rows = model._base_manager.filter(**{f"{prefix}owner_id": owner_id})
        for piece, *names in rows.values_list(f"{prefix}pk", *fields):
            for name in filter(None, names):
                yield model, piece, name


def _size(name: str) -> int:
    try:
        return default_storage.size(name)
    except OSError:
        return 0
