"""OpenRaster files (the freedesktop.org draft, version 0.0.5): a picture's layers for retouching elsewhere.

A layer that changed only a part of the one below is written as that part alone, with its mask as alpha.
Its colours are those that give the layer's own when laid over the layer below through that mask.
"""

import xml.etree.ElementTree as tree
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyvips

from enamel.core.export.progress import OnFraction
from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.imaging.canvas import WHITE, Canvas, FloatArray, Picture, SampleArray
from enamel.core.imaging.mapped import kept_out_of_memory
from enamel.core.intake.xmp import packet
from enamel.core.masks.coverage import Coverage
from enamel.core.printing.profiles import SRGB, profile_of, with_profile
from enamel.core.printing.sizing import MM_PER_INCH
from enamel.core.upscaling import Enlarged, upscaler

MEDIA_TYPE = "image/openraster"
VERSION = "0.0.5"
THUMBNAIL = 256
"""Longest side of the thumbnail, in px, as the draft requires."""
BLOCK = 512
FILE_MOMENT = (1980, 1, 1, 0, 0, 0)
"""Fixed date of the archive's entries, so that the same picture gives the same file."""


@dataclass(frozen=True, slots=True)
class StackEntry:
    """A layer in the list of layers: its name, its file in the archive, and its place."""

    name: str
    file: str
    box: Box
    opacity: float = 1.0
    visible: bool = True


@dataclass(frozen=True, slots=True)
class StackedLayer:
    """One layer of the file. Layers are listed from the lowest to the topmost."""

    name: str
    picture: Picture
    below: Picture | None = None
    """The picture below it, where it covers only a part."""
    coverage: Coverage | None = None
    """That part; None for all."""
    opacity: float = 1.0


def write_openraster(
    path: Path,
    layers: Sequence[StackedLayer],
    *,
    ppi: float,
    bits: int = 8,
    says: Mapping[str, str] | None = None,
    on_progress: OnFraction | None = None,
) -> None:
    """Write layers as an OpenRaster file of the topmost one's size; smaller ones are enlarged to it.

    Parameters
    ----------
    layers : from the lowest to the topmost, at least one. The topmost as it is, is the merged picture.
    bits : per sample, 8 or 16.
    says : properties of its XMP, which the merged picture carries.
    on_progress : called with how much of it is written, 0…1.
    """
    size = layers[-1].picture.size
    scratch = path.with_suffix(".layer")
    entries = []
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        _put(archive, "mimetype", MEDIA_TYPE.encode())
        for number, layer in enumerate(layers):
            box = Box.whole(size) if layer.coverage is None else layer.coverage.bounds
            name = f"data/layer{number}.png"
            with _drawn(layer, size, box, scratch) as canvas:
                _put_png(archive, name, canvas, path, bits, ppi)
            entries.append(StackEntry(layer.name, name, box, layer.opacity))
            if on_progress is not None:
                on_progress((number + 1) / (len(layers) + 1))
        with _drawn(StackedLayer("", layers[-1].picture), size, Box.whole(size), scratch) as canvas:
            _put_png(archive, "mergedimage.png", canvas, path, bits, ppi, says)
            _put(archive, "Thumbnails/thumbnail.png", thumbnail(canvas))
        _put(archive, "stack.xml", stack_xml(entries, size, ppi))
    if on_progress is not None:
        on_progress(1.0)


def stack_xml(entries: Sequence[StackEntry], size: Size, ppi: float) -> bytes:
    """Return the archive's list of layers, from entries with the lowest first."""
    image = tree.Element("image", version=VERSION, w=str(size.width), h=str(size.height),
                         xres=str(round(ppi)), yres=str(round(ppi)))  # fmt: skip
    stack = tree.SubElement(image, "stack")
    for entry in reversed(entries):
        tree.SubElement(stack, "layer", {
            "name": entry.name, "src": entry.file, "x": str(entry.box.x), "y": str(entry.box.y),
            "opacity": f"{entry.opacity:g}", "visibility": "visible" if entry.visible else "hidden",
            "composite-op": "svg:src-over",
        })  # fmt: skip
    data: bytes = tree.tostring(image, encoding="UTF-8", xml_declaration=True)
    return data


def thumbnail(canvas: Canvas) -> bytes:
    """Return the archive's thumbnail, as PNG."""
    with kept_out_of_memory(canvas.path):
        small = PixelBuffer.of_canvas(canvas).eight_bits().at_most(THUMBNAIL).image
        data: bytes = small.pngsave_buffer()
    return data


@contextmanager
def _drawn(layer: StackedLayer, size: Size, box: Box, scratch: Path) -> Iterator[Canvas]:
    """Provide a layer's own pixels in a box of the file, with its mask as alpha, as a canvas for a while."""
    picture = _sized(layer.picture, size)
    covered = layer.coverage
    channels = 4 if covered is not None else picture.channels
    if covered is None and isinstance(picture, Canvas):
        yield picture  # as it is
        return
    below = _sized(layer.below, size) if layer.below is not None else None
    with ExitStack() as stack:
        stack.callback(scratch.unlink, missing_ok=True)
        canvas = stack.enter_context(Canvas.create(scratch, Box.whole(box.size), channels))
        for block in blocks(box, BLOCK, BLOCK):
            samples = picture.read(block)
            if covered is not None:
                alpha = covered.read(block)
                colour = samples[..., :3]
                if below is not None:
                    colour = unmixed(below.read(block)[..., :3], colour, alpha * layer.opacity)
                opacity = np.rint(alpha * WHITE).astype(np.uint16)[..., None]
                samples = np.concatenate([colour, opacity], axis=2)
            canvas.write(block.relative_to(box), samples)
        yield canvas


def _sized(picture: Picture, size: Size) -> Picture:
    return picture if picture.size == size else Enlarged(picture, size, upscaler("lanczos"))


def unmixed(below: SampleArray, mixed: SampleArray, alpha: FloatArray) -> SampleArray:
    """Return the colours that give ``mixed`` when they are laid over ``below`` by a fraction of each pixel.

    mixed = below + (above − below) · alpha, solved for above; where nothing is laid, what lies below. A
    colour that would be out of range is clipped, which can happen where alpha is small.

    Parameters
    ----------
    below, mixed : (height, width, 3) samples.
    alpha : (height, width), 0…1.
    """
    some = alpha > 0
    by = np.where(some, alpha, 1)[..., None]
    above = below + (mixed.astype(np.float32) - below) / by
    kept = np.where(some[..., None], above, below)
    found: SampleArray = np.clip(np.rint(kept), 0, WHITE).astype(np.uint16)
    return found


def _put(archive: zipfile.ZipFile, name: str, data: bytes) -> None:
    archive.writestr(zipfile.ZipInfo(name, FILE_MOMENT), data)


def _put_png(
    archive: zipfile.ZipFile,
    name: str,
    canvas: Canvas,
    path: Path,
    bits: int,
    ppi: float,
    says: Mapping[str, str] | None = None,
) -> None:
    """Add a canvas as a PNG to the archive; it is written beside the archive first, so that memory stays
    constant.
    """
    packed = path.with_suffix(".png")
    try:
        write_png(canvas, packed, bits, ppi, says)
        archive.write(packed, name)
    finally:
        packed.unlink(missing_ok=True)


def write_png(
    canvas: Canvas, path: Path, bits: int, ppi: float, says: Mapping[str, str] | None = None
) -> None:
    """Write a canvas as a PNG with 8 or 16 bits; with 16, its samples are unchanged."""
    with kept_out_of_memory(canvas.path):
        picture = PixelBuffer.of_canvas(canvas)
        image = (picture.eight_bits() if bits == 8 else picture).image
        per_mm = ppi / MM_PER_INCH
        image = with_profile(image.copy(xres=per_mm, yres=per_mm), profile_of(SRGB).data)
        if says is not None:
            image.set_type(pyvips.GValue.blob_type, "xmp-data", packet(says))
        image.pngsave(str(path), compression=6, bitdepth=bits)
