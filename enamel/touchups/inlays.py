"""List pictures that can be inlaid, store files for it, and preview inlays."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.db import IntegrityError, transaction

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Picture, Pixels, SampleArray
from enamel.core.imaging.encoded import png_of
from enamel.core.imaging.reduce import reduced
from enamel.core.intake.pixels import examine
from enamel.core.pipeline.align import Aligned, Homography, align, edge_to_edge
from enamel.core.pipeline.inlay import Inlay, inlaid
from enamel.core.upscaling import Enlarged, upscaler
from enamel.firings.inlays import opened
from enamel.library.layers import canvas_of, keep_laid_file
from enamel.library.models import LaidFile, Layer, Piece
from enamel.library.services import read_in_sandbox
from enamel.storage.scratch import temporary_folder, write_upload
from enamel.swatches.models import Swatch

MOST_MEGAPIXELS = 24.0
"""Largest file that can be laid: it is read within the request."""
SWATCHES = 12
"""How many swatches are offered; the newest."""
SAME_SHAPE = 0.01
"""Most that the proportions of a file laid edge to edge may differ from the layer's, relative."""
MOST_SHOWN = 2_500_000
"""Most pixels of a preview; a larger part is shown reduced."""


@dataclass(frozen=True, slots=True)
class InlaySource:
    """A picture that can be laid over a layer."""

    sha256: str
    """Hash of its pixels."""
    words: str
    homography: Homography | None = None
    """Its place on the layer; None for another layer, which covers all of it."""


def sources_of(piece: Piece, under: Layer) -> list[InlaySource]:
    """Return what can be laid over a layer: other layers, the newest first; swatches; laid files."""
    layers = [
        InlaySource(layer.sha256, _of_layer(layer))
        for layer in piece.layers.order_by("-created")
        if layer.pk != under.pk
    ]
    done = Swatch.objects.filter(sheet__piece=piece, state=Swatch.State.DONE)
    swatches = [
        InlaySource(
            swatch.sha256,
            f"Swatch · {swatch.label or swatch.sheet.box}",
            _of_window(swatch, under),
        )
        for swatch in done.select_related("sheet__start").defer("so_far").order_by("-pk")[:SWATCHES]
    ]
    files = [
        InlaySource(
            file.sha256,
            f"File · {file.name}",
            edge_to_edge(Size(file.width, file.height), under.size),
        )
        for file in piece.laid_files.all()
    ]
    return layers + swatches + files


def _of_layer(layer: Layer) -> str:
    seed = "" if layer.seed is None else f" · seed {layer.seed}"
    return f"{layer.get_kind_display()} · {layer.width} × {layer.height}{seed}"


def _of_window(swatch: Swatch, under: Layer) -> Homography:
    """Return the place of a swatch's window on a layer."""
    size, box = swatch.sheet.size, swatch.sheet.box
    across, down = under.width / size.width, under.height / size.height
    return (across, 0.0, box.x * across, 0.0, down, box.y * down, 0.0, 0.0, 1.0)


def take_file(under: Layer, upload: File, name: str) -> tuple[InlaySource, Aligned | None]:  # type: ignore[type-arg]
    """Store a picture from outside with the piece, and find its place on a layer.

    Returns
    -------
    The source, and how well it agrees there; None where too little agrees but it has the layer's
    proportions, so that it is laid edge to edge.

    Raises
    ------
    Refusal
        When the file can't be used, or does not belong to this picture. Nothing is stored then.
    """
    piece = under.piece
    with temporary_folder("laid") as folder:
        path = write_upload(upload, folder / "original")
        facts = examine(path, settings.IMPORT_LIMITS)
        if facts.size.megapixels > MOST_MEGAPIXELS:
            raise Refusal(
                f"This picture has {facts.size.megapixels:.0f} megapixels; files of up to "
                f"{MOST_MEGAPIXELS:.0f} can be laid over. Reduce it, or import it as a piece."
            )
        read_in_sandbox(path, folder / "laid.npy")
        with Canvas(folder / "laid.npy") as over, canvas_of(under) as below:
            size, digest = over.size, over.digest()
            found, homography = _lying(over, below)
        known = piece.laid_files.filter(sha256=digest).first() or _kept(
            LaidFile(
                piece=piece, name=Path(name).name[:255], sha256=digest,
                width=size.width, height=size.height,
            ),
            folder / "laid.npy",
        )  # fmt: skip
    return InlaySource(digest, f"File · {known.name}", homography), found


def _kept(laid: LaidFile, path: Path) -> LaidFile:
    """Store a laid file, or return an equal one that was stored meanwhile."""
    keep_laid_file(laid, path)
    try:
        with transaction.atomic():
            laid.save()
    except IntegrityError:
        laid.pixels.storage.delete(str(laid.pixels.name))
        return laid.piece.laid_files.get(sha256=laid.sha256)
    return laid


def _lying(over: Canvas, below: Canvas) -> tuple[Aligned | None, Homography]:
    try:
        found = align(over, below)
    except Refusal:
        shape, other = (one.size.width / one.size.height for one in (over, below))
        if abs(shape / other - 1) > SAME_SHAPE:
            raise
        return None, edge_to_edge(over.size, below.size)
    return found, found.homography


def shown(under: Layer, inlays: Sequence[Inlay], window: Box) -> bytes:
    """Return a part of the layer with all inlays, as 8-bit PNG.

    Up to `MOST_SHOWN` px these are the pixels that the layer will have. A larger part is composed of
    reduced pictures, which is quick.
    """
    window = window.intersection(Box.whole(under.size))
    if window.empty:
        raise Refusal("This part lies outside the layer.")
    with opened(under, inlays) as (below, laid):
        if window.area <= MOST_SHOWN:
            samples = inlaid(below, laid).read(window)
        else:
            samples = _reduced(below, laid, window)
    return png_of(samples)


def _reduced(below: Picture, laid: list[tuple[Picture, Inlay]], window: Box) -> SampleArray:
    scale = (MOST_SHOWN / window.area) ** 0.5
    size = below.size.scaled(scale)
    small = _small(below, size)
    over: list[tuple[Picture, Inlay]] = [
        (_small(picture, size), settings) for picture, settings in laid
    ]
    part = window.scaled(scale).intersection(Box.whole(size))
    return inlaid(small, over).read(part)


def _small(picture: Picture, size: Size) -> Picture:
    """Return a picture in memory, brought to a size."""
    if picture.size.width >= size.width:
        return Pixels(reduced(picture, size))
    return Pixels(Enlarged(picture, size, upscaler("lanczos")).read(Box.whole(size)))
