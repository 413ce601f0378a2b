"""Write a piece as an archive."""

from collections.abc import Iterator
from uuid import UUID

from django.db.models.fields.files import FieldFile
from zipstream import ZIP_STORED, ZipStream

from enamel.core import ENGINE_VERSION
from enamel.core.export.naming import safe
from enamel.core.export.openraster import (
    MEDIA_TYPE,
    StackEntry,
    stack_xml,
    thumbnail,
    write_png,
)
from enamel.core.geometry import Box
from enamel.core.intake.subject import Subject
from enamel.core.schedule import Coat, Schedule
from enamel.library.archives.contents import (
    FACTS,
    PieceArchive,
    StoredLayer,
    StoredPicture,
    base_file_of,
    file_of,
    hashes_of,
    laid_file_of,
    step_of,
)
from enamel.library.layers import canvas_in, canvas_of
from enamel.library.models import Layer, Piece
from enamel.storage.scratch import temporary_folder

PRINT_PPI = 300
"""Resolution written into the archive's pictures."""
BLOCK = 2**20
"""Bytes copied at a time."""


def name_of(piece: Piece) -> str:
    """Return the name of a piece's archive."""
    return f"{safe(piece.title, 'piece')}.ora"


def archive_of(piece: Piece) -> ZipStream:
    """Return a piece as an archive, which is made while it is read."""
    layers = list(piece.layers.order_by("created"))
    newest = layers[-1]
    stream = ZipStream(compress_type=ZIP_STORED)
    stream.add(MEDIA_TYPE, "mimetype")
    facts = _facts_of(piece, layers)
    stream.add(facts.model_dump_json(indent=1), FACTS)
    stream.add(piece.base_file.chunks(), base_file_of(piece.base_name))
    entries = [
        StackEntry(
            str(layer), file_of(layer.sha256), Box.whole(layer.size), visible=layer == newest
        )
        for layer in layers
    ]
    stream.add(stack_xml(entries, newest.size, PRINT_PPI), "stack.xml")
    for sha256, field in {layer.sha256: layer.pixels for layer in layers}.items():
        stream.add(_png(field, 16), file_of(sha256))
    for laid in piece.laid_files.all():
        stream.add(_png(laid.pixels, 16), laid_file_of(laid.sha256))
    stream.add(_png(newest.pixels, 8), "mergedimage.png")
    with canvas_of(newest) as canvas:
        stream.add(thumbnail(canvas), "Thumbnails/thumbnail.png")
    return stream


def _facts_of(piece: Piece, layers: list[Layer]) -> PieceArchive:
    base, *made = layers
    keys: dict[UUID | None, str] = {layer.pk: layer.content_key for layer in layers}
    stored = [
        StoredLayer(
            sha256=layer.sha256, kind=Layer.Kind(layer.kind), parent=keys[layer.parent_id],
            replaces=keys.get(layer.replaces_id), recipe=layer.recipe,
            content_key=layer.content_key, width=layer.width, height=layer.height,
            model=layer.model, model_sha256=layer.model_sha256, seed=layer.seed, seconds=layer.seconds,
        )
        for layer in made
    ]  # fmt: skip
    return PieceArchive(
        engine=ENGINE_VERSION,
        title=piece.title,
        notes=piece.notes,
        tags=piece.tags,
        mark=Piece.Mark(piece.mark) if piece.mark else "",
        subject=Subject(piece.subject),
        made=piece.made,
        made_by_model=piece.made_by_model,
        base_name=piece.base_name,
        base_key=base.content_key,
        schedule=piece.schedule_kept,
        print=piece.print_kept,
        faces=piece.faces_kept,
        layers=stored,
        masks={mask.name: mask.mask for mask in piece.masks.all()},
        laid=[
            StoredPicture(sha256=one.sha256, name=one.name, width=one.width, height=one.height)
            for one in piece.laid_files.all()
        ],
        models=hashes_of(_models_of(piece.schedule, stored)),
    )


def _models_of(schedule: Schedule, layers: list[StoredLayer]) -> set[str]:
    """Return the names of the refiners and upscalers that a schedule and layers use."""
    coats = [*schedule.coats, *(step for one in layers if isinstance(step := step_of(one), Coat))]
    names = {coat.upscaler for coat in coats} | {layer.model for layer in layers}
    return names | {coat.refine.model for coat in coats if coat.refine}


def _png(field: FieldFile, bits: int) -> Iterator[bytes]:
    """Yield a stored canvas as a PNG."""
    with temporary_folder("archive") as folder, canvas_in(field) as canvas:
        path = folder / "layer.png"
        write_png(canvas, path, bits, PRINT_PPI)
        with path.open("rb") as file:
            while block := file.read(BLOCK):
                yield block
