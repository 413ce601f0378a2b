"""Layers in and out of storage: canvases, pyramids, thumbnails."""

import dataclasses
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.core.files import File
from django.core.files.base import ContentFile
from django.db.models.fields.files import FieldFile
from django.utils import timezone
from django.utils.text import get_valid_filename

from enamel.core import ENGINE_VERSION
from enamel.core.canvas import Canvas
from enamel.core.errors import Refusal
from enamel.core.faces import find_faces
from enamel.core.fire import Stage, address_of, stages
from enamel.core.pixels import FileFacts, examine, read_canvas
from enamel.core.printing import FileFormat, export
from enamel.core.schedule import Coat, Schedule, address
from enamel.core.subject import guessed
from enamel.kiln.models import Layer, Piece
from enamel.kiln.pyramids import build, thumbnail


def piece_work(piece: Piece) -> Path:
    """Folder for the finished tiles of a piece's firings."""
    return Path(settings.KILN_WORK) / str(piece.pk)


def coat_on(parent: Layer, coat: Coat) -> tuple[Stage, str]:
    """A coat on a layer, ready to run, and the address of what it makes."""
    (stage,) = stages(Schedule((coat,)), parent.size)
    return stage, address_of(stage, parent.sha256, parent.piece.base.sha256)


def let_go(piece: Piece) -> None:
    """Delete the finished tiles of a piece's firings, unless one of them still needs them."""
    if not piece.firings.open().exists():
        shutil.rmtree(piece_work(piece), ignore_errors=True)


@contextmanager
def canvas_of(layer: Layer) -> Iterator[Canvas]:
    """A layer's pixels. Storage without local files is copied to a file for as long as needed."""
    try:
        path = Path(layer.pixels.path)
    except NotImplementedError:
        with TemporaryDirectory(prefix="enamel-layer-") as folder:
            path = Path(folder) / "pixels.npy"
            with layer.pixels.open("rb") as stored, path.open("wb") as local:
                shutil.copyfileobj(stored, local)
            with Canvas(path) as canvas:
                yield canvas
    else:
        with Canvas(path) as canvas:
            yield canvas


def keep_file(field: FieldFile, path: Path, name: str) -> None:
    """Put a finished local file into storage: moved where storage is local, else copied."""
    storage = field.storage
    target = field.field.generate_filename(field.instance, name)
    try:
        local = Path(storage.path(target))
    except NotImplementedError:
        with path.open("rb") as file:
            field.save(name, File(file), save=False)
        return
    local.parent.mkdir(parents=True, exist_ok=True)
    shutil.move(path, local)
    field.name = target


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


def prepare(layer: Layer) -> None:
    """Make a stored layer ready to be looked at: pyramid, thumbnail, faces. Safe to repeat."""
    if layer.ready:
        return
    with TemporaryDirectory(prefix="enamel-pyramid-") as folder, canvas_of(layer) as canvas:
        path = Path(folder) / "pyramid.zip"
        build(canvas, path)
        keep_file(layer.pyramid, path, f"{layer.pk}.zip")
        layer.thumbnail.save(f"{layer.pk}.webp", ContentFile(thumbnail(canvas)), save=False)
        layer.faces = [list(dataclasses.astuple(face.box)) for face in find_faces(canvas)]
    layer.save(update_fields=["pyramid", "thumbnail", "faces"])


def bring_in(owner: AbstractBaseUser, upload: File, name: str) -> Piece:  # type: ignore[type-arg]
    """A new piece from a picture file, with its base layer. The file is kept byte for byte.

    Raises
    ------
    Refusal
        When the file can't be used; nothing is kept then.
    """
    with TemporaryDirectory(prefix="enamel-import-") as folder:
        path = Path(folder) / "original"
        with path.open("wb") as file:
            for chunk in upload.chunks():
                file.write(chunk)
        facts = examine(path, settings.IMPORT_LIMITS)
        canvas = read_canvas(path, facts, Path(folder) / "base.npy")
        piece = Piece(
            owner_id=owner.pk,
            title=Path(name).stem[:200] or "Untitled",
            base_name=Path(name).name[:255],
            base_facts=facts_as_json(facts),
            subject=guessed(canvas),
        )
        keep_file(piece.base_file, path, f"{piece.pk}.{facts.format.lower()}")
        piece.save()
        digest = canvas.digest()
        add_layer(
            piece,
            canvas,
            kind=Layer.Kind.BASE,
            recipe={"engine": ENGINE_VERSION, "base": digest},
            address=address("base", digest),
        )
    return piece


def facts_as_json(facts: FileFacts) -> dict[str, Any]:
    """The facts as they are stored with the piece."""
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
    }


def print_file(layer: Layer, file: FileFormat, ppi: float, bits: int, folder: Path) -> Path:
    """A layer as a print file in ``folder``."""
    path = folder / file_name(layer, file)
    with canvas_of(layer) as canvas:
        export(canvas, path, ppi=ppi, bits=bits, file=file)
    return path


def file_name(layer: Layer, file: FileFormat) -> str:
    """Name of a print file that tells what was done: title, kind, size."""
    suffix = {FileFormat.TIFF: "tif", FileFormat.JPEG: "jpg", FileFormat.PNG: "png"}[file]
    title = get_valid_filename(layer.piece.title) or "picture"
    return f"{title}-{layer.kind}-{layer.width}x{layer.height}.{suffix}"


def require_room(needed_mb: float, folder: Path) -> None:
    """Refuse work that the disk under ``folder`` can't hold."""
    folder.mkdir(parents=True, exist_ok=True)
    free_mb = shutil.disk_usage(folder).free / 1e6
    if needed_mb > free_mb:
        raise Refusal(
            f"This needs {needed_mb / 1000:.1f} GB of disk while it runs and {free_mb / 1000:.1f} GB "
            "are free. Nothing was started; make room or choose a smaller size."
        )
