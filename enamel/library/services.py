"""Import, split, duplicate, delete and restore pieces."""

import shutil
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import User
from django.core.files import File
from django.db import DEFAULT_DB_ALIAS, transaction
from django.db.models.deletion import Collector
from django.db.models.fields.files import FieldFile
from django.utils import timezone

from enamel.accounts.audit import ENAMEL, record
from enamel.accounts.models import AuditEntry
from enamel.accounts.quotas import require_quota
from enamel.core import ENGINE_VERSION
from enamel.core.errors import require
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.cuts import LEAST_CELL, Cuts, find_cuts
from enamel.core.intake.likeness import NEAR_BITS, distance, likeness, perceptual_hash
from enamel.core.intake.pixels import FileFacts, examine
from enamel.core.intake.provenance import made
from enamel.core.intake.reading import read_apart
from enamel.core.intake.subject import guessed
from enamel.core.intake.xmp import AI_MADE, PREVIEW_COPY, SOURCE_TYPE, properties
from enamel.core.limited import OnFraction
from enamel.core.schedule import content_key
from enamel.library.layers import BYTES_PER_PIXEL, add_layer, canvas_of, piece_work
from enamel.library.models import Layer, Piece
from enamel.library.queue import enqueue_preparation
from enamel.library.signals import piece_deleted
from enamel.storage.files import deleted_on_error, file_fields, keep_file
from enamel.storage.scratch import temporary_folder, write_upload

SPLIT_FORMAT = FileFormat.PNG


def import_picture(owner: AbstractBaseUser, upload: File, name: str) -> Piece:  # type: ignore[type-arg]
    """Return a new piece from a picture file, with its base layer. The file is kept byte for byte.

    Raises
    ------
    Refusal
        When the file can't be used; nothing is kept then.
    """
    with temporary_folder("import") as folder:
        return from_file(owner.pk, write_upload(upload, folder / "original"), name)


def read_in_sandbox(
    path: Path, into: Path, on_progress: OnFraction = lambda fraction: None
) -> None:
    """Decode a picture file into a canvas, within the limits for imports."""
    read_apart(path, into, settings.IMPORT_LIMITS, on_progress)


def from_file(
    owner_id: int,
    path: Path,
    name: str,
    *,
    facts: FileFacts | None = None,
    on_progress: OnFraction = lambda fraction: None,
    on_saved: Callable[[Piece], None] = lambda piece: None,
) -> Piece:
    """Return a piece from a local file, which moves into storage.

    Parameters
    ----------
    facts : what `examine` found, where that is known already.
    on_progress : called with the fraction of the pixels that is read, 0…1.
    on_saved : called with the piece within the transaction that saves it and its base's job.
    """
    facts = facts or examine(path, settings.IMPORT_LIMITS)
    require_quota(owner_id, path.stat().st_size / 1e6 + facts.size.megapixels * BYTES_PER_PIXEL)
    base = path.with_name("base.npy")
    read_in_sandbox(path, base, on_progress)
    canvas = Canvas(base)
    cuts = find_cuts(canvas)
    text = dict(facts.text)
    how_made = made(text)
    piece = Piece(
        owner_id=owner_id,
        title=Path(name).stem[:200] or "Untitled",
        base_name=Path(name).name[:255],
        base_facts=facts_as_json(replace(facts, size=canvas.size)),
        made=how_made.to_json(),
        made_by_model=_made_by_model(text),
        subject=guessed(canvas, how_made.prompt),
        likeness=perceptual_hash(canvas),
        cuts=cuts_as_json(cuts) if cuts.count > 1 else None,
    )
    piece.copy_of = _original_of(piece, canvas)
    keep_file(piece.base_file, path, f"{piece.pk}.{facts.format.lower()}")
    with deleted_on_error() as stored:
        stored.append(piece.base_file)
        with transaction.atomic():
            piece.save()
            layer = _add_base(piece, canvas)
            stored.append(layer.pixels)
            enqueue_preparation(layer)
            on_saved(piece)
    return piece


def _add_base(piece: Piece, canvas: Canvas) -> Layer:
    digest = canvas.digest()
    return add_layer(
        piece,
        canvas,
        kind=Layer.Kind.BASE,
        recipe={"engine": ENGINE_VERSION, "base": digest},
        content_key=content_key("base", digest),
    )


def _made_by_model(text: dict[str, str]) -> bool:
    """Return whether a model made the picture, by its IPTC source type; True where it has none."""
    source_type = properties(text.get("XMP", "")).get("DigitalSourceType", "")
    return not source_type.startswith(SOURCE_TYPE) or source_type == AI_MADE


def _original_of(piece: Piece, canvas: Canvas) -> Piece | None:
    """Return the largest of the owner's other pieces of which this picture is a smaller or equal copy."""
    found: list[Piece] = []
    others = Piece.objects.filter(owner_id=piece.owner_id, deleted_at=None, likeness__isnull=False)
    for other in others.only("id", "likeness"):
        if distance(piece.likeness or 0, other.likeness or 0) > NEAR_BITS:
            continue
        with canvas_of(other.base) as original:
            alike = likeness(canvas, original)
        if alike.copies and alike.ratio <= 1:
            found.append(other)
    return max(found, key=lambda other: other.base.width, default=None)


def facts_as_json(facts: FileFacts) -> dict[str, Any]:
    """Return facts of a file as a piece stores them."""
    return {
        "format": facts.format,
        "media_type": facts.media_type,
        "width": facts.size.width,
        "height": facts.size.height,
        "bits": facts.bits,
        "mode": facts.mode,
        "alpha": facts.has_alpha,
        "profile": facts.profile,
        "text": dict(facts.text),
        "preview": properties(facts.text.get("XMP", "")).get("Label") == PREVIEW_COPY,
    }


def cuts_as_json(cuts: Cuts) -> dict[str, list[list[int]]]:
    return {name: [list(span) for span in getattr(cuts, name)] for name in ("columns", "rows")}


def split(piece: Piece, cuts: Cuts) -> list[Piece]:
    """Return a separate piece for each candidate of a contact sheet; the sheet itself stays as it is.

    Raises
    ------
    Refusal
        When a candidate would be too small or lie outside the sheet; nothing is made then.
    """
    boxes = cuts.boxes()
    whole = Box.whole(piece.base.size)
    for number, box in enumerate(boxes, 1):
        require(whole.contains(box) and min(box.size) >= LEAST_CELL, f"candidate {number}", str(box),
                f"inside the picture and at least {LEAST_CELL} px on each side")  # fmt: skip
    found = []
    with temporary_folder("split") as folder, canvas_of(piece.base) as sheet:
        for number, box in enumerate(boxes, 1):
            part = Canvas.create(folder / "part.npy", Box.whole(box.size), sheet.channels)
            for band in part.bands():
                part.write(band, sheet.read(Box(box.x, box.y + band.y, band.width, band.height)))
            path = folder / "original"
            bits = 16 if piece.base_facts["bits"] > 8 else 8
            export(part, path, output=Output(SPLIT_FORMAT, bits))
            part.close()
            made_piece = from_file(piece.owner_id, path, f"{piece.title} {number}.png")
            made_piece.made = piece.made | {"size": ""}
            made_piece.made_by_model = piece.made_by_model
            made_piece.tags, made_piece.subject = piece.tags, piece.subject
            made_piece.save(update_fields=["made", "made_by_model", "tags", "subject"])
            found.append(made_piece)
    piece.cuts = None
    piece.save(update_fields=["cuts"])
    return found


def duplicate(piece: Piece) -> Piece:
    """Return a new piece with the same base, settings, print, notes and tags, and no other layers."""
    twin = Piece.objects.get(pk=piece.pk)
    base = piece.base
    twin.pk = twin.id = Piece._meta.get_field("id").get_default()
    twin._state.adding = True
    twin.title = f"{piece.title[:190]}, copy"
    twin.created, twin.step, twin.copy_of = timezone.now(), 0, None
    suffix = Path(piece.base_file.name).suffix
    with piece.base_file.open("rb") as file:
        twin.base_file.save(f"{twin.pk}{suffix}", File(file), save=False)
    with temporary_folder("twin") as folder, canvas_of(base) as canvas:
        copied = folder / "base.npy"
        shutil.copyfile(canvas.path, copied)
        with transaction.atomic():
            twin.save(force_insert=True)
            enqueue_preparation(_add_base(twin, Canvas(copied)))
    return twin


def restore(piece: Piece) -> None:
    piece.deleted_at = None
    piece.save(update_fields=["deleted_at"])


def delete_pieces(pieces: Iterable[Piece]) -> None:
    """Delete pieces; they can be restored for a while. Work on them stops."""
    for piece in pieces:
        piece_deleted.send(Piece, piece=piece)
        piece.deleted_at = timezone.now()
        piece.save(update_fields=["deleted_at"])


def delete_for_good(pieces: Iterable[Piece] | None = None) -> int:
    """Delete pieces with all their files; return how many. By default those whose time to be restored has
    passed.
    """
    expired = list(Piece.objects.past_restoring() if pieces is None else pieces)
    for piece in expired:
        files = _stored_files(piece)
        record(ENAMEL, AuditEntry.Action.PIECE_DELETED, f"{piece.title}, of {piece.owner}")
        piece.delete()
        for file in files:
            if not _is_used(file):
                file.storage.delete(str(file.name))
        shutil.rmtree(piece_work(piece), ignore_errors=True)
    return len(expired)


def pass_on(sender: object, account: User, heir: User | None, **_: object) -> None:
    """Give the pieces of an account that is about to be deleted to its heir, or delete them for good."""
    pieces = Piece._base_manager.filter(owner=account)
    if heir is not None:
        pieces.update(owner=heir)
        return
    delete_pieces(pieces.filter(deleted_at=None))
    delete_for_good(pieces)


def _stored_files(piece: Piece) -> list[FieldFile]:
    """Return the stored files of a piece and of every row that is deleted with it."""
    collector = Collector(using=DEFAULT_DB_ALIAS)
    collector.collect([piece])
    rows = [row for rows in collector.data.values() for row in rows]
    rows += [row for rows in collector.fast_deletes for row in rows]
    found = []
    for row in rows:
        found += [getattr(row, name) for name in file_fields(type(row))]
    return [file for file in found if file]


def _is_used(file: FieldFile) -> bool:
    """Return whether a remaining row has the same stored file."""
    same = {file.field.name: file.name}
    return type(file.instance)._base_manager.filter(**same).exists()
