"""Layers in storage: their canvases, pyramids and thumbnails."""

import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.files.base import ContentFile
from django.db.models.fields.files import FieldFile
from django.utils import timezone

from enamel.core.faces.detection import detect_faces
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.imaging.encoded import webp_of
from enamel.core.intake.xmp import AI_EDITED, AI_ENHANCED, AI_MADE, PREVIEW_COPY
from enamel.core.pipeline.firing import Stage, coat_key, stages
from enamel.core.schedule import Coat, Schedule, canonical
from enamel.core.tiling.tilestore import FolderStore
from enamel.jobs.sweeper import uses_finished_tiles
from enamel.library.models import LaidFile, Layer, Piece
from enamel.library.models.layers import face_as_kept
from enamel.library.overviews import survey
from enamel.library.pyramids import build, thumbnail
from enamel.storage.copies import local
from enamel.storage.disk import SHARED_TILES
from enamel.storage.files import keep_file
from enamel.storage.scratch import temporary_folder

CROP = 480
BYTES_PER_PIXEL = 8
"""Of a canvas, with transparency."""
LONGEST_SETTINGS = 60_000
"""Most letters of settings written into a file; beyond that, masks of thousands of points are left out."""


def tile_store() -> FolderStore:
    """Return the store of tiles that firings and swatches share."""
    return FolderStore(Path(settings.KILN_WORK) / SHARED_TILES, settings.TILE_STORE_MB)


def piece_work(piece: Piece) -> Path:
    """Return the folder for finished tiles of a piece's firings."""
    return Path(settings.KILN_WORK) / str(piece.pk)


def coat_on(parent: Layer, coat: Coat) -> tuple[Stage, str]:
    """Return a coat on a layer, ready to run, and the content key of what it makes."""
    (stage,) = stages(Schedule((coat,)), parent.size)
    return stage, coat_key(stage, parent.sha256, parent.piece.base.sha256)


def delete_finished_tiles(piece: Piece) -> None:
    """Delete the finished tiles of a piece's firings, unless an open job still needs them."""
    if not uses_finished_tiles(piece):
        shutil.rmtree(piece_work(piece), ignore_errors=True)


def canvas_of(layer: Layer) -> Canvas:
    """Return a layer's pixels."""
    return canvas_in(layer.pixels)


def canvas_in(field: FieldFile) -> Canvas:
    """Return a stored canvas."""
    return Canvas(local(field.storage, str(field.name)))


def add_layer(piece: Piece, canvas: Canvas, **facts: Any) -> Layer:
    """Store a finished canvas as a layer of the piece; the canvas's file moves into storage."""
    layer = Layer(
        piece=piece,
        width=canvas.size.width,
        height=canvas.size.height,
        sha256=canvas.digest(),
        created=timezone.now(),
        **facts,
    )
    canvas.close()
    keep_file(layer.pixels, canvas.path, f"{layer.pk}.npy")
    layer.save()
    return layer


def keep_laid_file(laid: LaidFile, path: Path) -> None:
    """Store the canvas of a laid file, which moves. The caller saves the row.

    Its name in storage is unique: another piece's file of the same pixels is a separate file, and stays
    when this one is deleted.
    """
    keep_file(laid.pixels, path, f"{uuid4()}.npy")


def prepare(layer: Layer) -> None:
    """Make a stored layer ready to be looked at and to be finished. Safe to repeat."""
    if not layer.ready:
        _prepare_views(layer)
    if not layer.surveyed:
        with canvas_of(layer) as canvas:
            survey(layer, canvas)
        layer.save(update_fields=["overview", "measured"])


def _prepare_views(layer: Layer) -> None:
    """Make its pyramid and thumbnail, and find its faces."""
    with temporary_folder("pyramid") as folder, canvas_of(layer) as canvas:
        path = folder / "pyramid.zip"
        build(canvas, path)
        keep_file(layer.pyramid, path, f"{layer.pk}.zip")
        layer.thumbnail.save(f"{layer.pk}.webp", ContentFile(thumbnail(canvas)), save=False)
        layer.faces = [face_as_kept(face) for face in detect_faces(canvas)]
    layer.save(update_fields=["pyramid", "thumbnail", "faces"])


def crop_of(layer: Layer, box: Box) -> bytes:
    """Return a part of a layer, as WebP, at most `CROP` px a side."""
    with canvas_of(layer) as canvas:
        return webp_of(canvas.read(box), CROP)


def metadata_of(layer: Layer, *, preview: bool = False) -> dict[str, str]:
    """Return the metadata for a file made from a layer: title, prompt, models, settings, origin, whether
    a model made it, and whether it is a preview copy.
    """
    piece, made = layer.piece, layer.piece.how_made
    refine = layer.refine or {}
    return {
        "dc:title": piece.title,
        "xmp:CreatorTool": "Enamel",
        "Iptc4xmpExt:DigitalSourceType": source_type(piece.made_by_model, layer),
        "Iptc4xmpExt:AIPromptInformation": made.written(),
        "Iptc4xmpExt:AISystemUsed": _systems_in_words(made.model, refine),
        "xmpMM:DocumentID": f"sha256:{layer.sha256}",
        "xmpMM:OriginalDocumentID": f"sha256:{piece.base.sha256}",
        "xmp:Label": PREVIEW_COPY if preview else "",
        "enamel:Steps": _settings_in_words(layer),
    }


def _systems_in_words(model: str, refine: Mapping[str, Any]) -> str:
    """Return the model that made the base, or a checkpoint that refined it with what it was used with."""
    kit = refine.get("kit")
    if not kit:
        return model or str(refine.get("model", ""))
    beside = [*(one["name"] for one in kit["adapters"]), kit["guide"], kit["vae"]]
    return ", ".join(filter(None, [model, refine["model"], *beside]))


def _settings_in_words(layer: Layer) -> str:
    """Return the settings of each step from the base to the layer, as JSON."""
    steps = [step.step_form for step in layer.chain[1:]]
    written = canonical(steps) if steps else ""
    return written if len(written) <= LONGEST_SETTINGS else ""


def source_type(made_by_model: bool, layer: Layer) -> str:
    """Return IPTC's digital source type for a file of a layer, which covers all layers it was made from.

    A picture made by a model stays that. Any other becomes a composite with generated parts when a layer
    on the way was refined, and an enhanced picture when it was only enlarged.
    """
    if made_by_model:
        return AI_MADE
    if any(step.refine and step.refine["strength"] > 0 for step in layer.chain):
        return AI_EDITED
    return AI_ENHANCED if layer.kind != Layer.Kind.BASE else ""
