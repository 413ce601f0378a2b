"""Print files: pixels that open elsewhere at the right physical size and colour."""

import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import pyvips

from enamel.core.base.pixels import vips_image
from enamel.core.base.xmp import packet
from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.finish.finished import Finished
from enamel.core.finish.recipe import Finish
from enamel.core.fire.firing import materialise
from enamel.core.geometry import Box, Size
from enamel.core.picture.canvas import WHITE, Canvas
from enamel.core.picture.mapped import given_back
from enamel.core.print.layout import Edge, Fit, Layout, native
from enamel.core.print.output import OPAQUE, Compression, FileFormat, Output, PrintSettings
from enamel.core.print.paper import sharpening
from enamel.core.print.pdf import Page, write_pdf
from enamel.core.print.profiles import Space, converted, profile_of
from enamel.core.print.sizing import MM_PER_INCH, PRINT_PPI, Bleed

LONGEST_SIDE = 200_000
MOST_MEGAPIXELS = 4000
BIG_TIFF = 3.9e9
"""Bytes of samples from which a TIFF needs 64-bit places."""
TILE = 256
SAMPLE = 256
"""Side of the squares that a file's size is estimated from, in px."""
BLURRED_SHARE = 0.01
"""Blur of an extended edge, as a share of the picture's shorter side."""


def export(
    canvas: Canvas,
    path: Path,
    *,
    ppi: float = PRINT_PPI,
    output: Output | None = None,
    placed: "Placed | None" = None,
    says: Mapping[str, str] | None = None,
    hear: Callable[[float], None] | None = None,
) -> None:
    """Write a canvas as a print file with resolution and colour profile in it.

    Parameters
    ----------
    canvas : the pixels; all of its region is written.
    path : where; the file is whole or not there.
    ppi : resolution written into the file, in pixels per inch.
    output : what kind of file; 8 bits of the kind that the name asks for when left out.
    placed : how the picture lies on the print; none writes the picture as it is.
    says : what the file says of itself, if it may: properties of its XMP by prefixed name.
    hear : told how much of it is written, 0…1, now and then.
    """
    chosen = output or Output(FileFormat.of(path))
    with whole_file(path) as partial, given_back(canvas.path):
        image = drawn(canvas, partial.with_suffix(".sharp"), ppi, chosen, placed)
        try:
            told = says if chosen.speaks else None
            if chosen.file is FileFormat.PDF:
                _write_pdf(image, partial, ppi, chosen, placed, told, hear)
                return
            image = said(image, ppi, packet(told) if told is not None else None)
            if hear is not None:
                image.set_progress(True)
                image.signal_connect("eval", lambda _, progress: hear(progress.percent / 100))
            WRITERS[chosen.file](image, str(partial), chosen)
        finally:
            partial.with_suffix(".sharp").unlink(missing_ok=True)


def drawn(
    canvas: Canvas, scratch: Path, ppi: float, output: Output, placed: "Placed | None"
) -> pyvips.Image:
    """The pixels of a print file: sharpened, laid, reduced, in the numbers of its profile.

    ``scratch`` is where sharpened pixels may lie meanwhile.
    """
    sharpen = sharpening(output.paper, ppi)
    if sharpen is not None:
        made = Finished(canvas, Finish(sharpen=sharpen))
        canvas = materialise(made, made.whole, scratch)
    image = vips_image(canvas)
    if placed is not None:
        image = placed.on(image)
    if output.longest:
        image = image.thumbnail_image(output.longest, height=output.longest, size="down").cast(
            "ushort"
        )
        image = image.copy(interpretation="rgb16")
    require_writable(Size(image.width, image.height), output.file)
    profile = profile_of(output.profile)
    if image.hasalpha() and (output.file in OPAQUE or profile.space is not Space.RGB):
        image = image.flatten(background=[WHITE] * 3).cast("ushort").copy(interpretation="rgb16")
    return converted(image, profile, output.intent, output.black_point, output.depth)


def said(image: pyvips.Image, ppi: float, xmp: bytes | None) -> pyvips.Image:
    """The picture with its resolution and what it says of itself; nothing else goes into the file."""
    per_mm = ppi / MM_PER_INCH
    told = image.copy(xres=per_mm, yres=per_mm)
    if xmp is not None:
        told.set_type(pyvips.GValue.blob_type, "xmp-data", xmp)
    return told


def _write_png(image: pyvips.Image, path: str, output: Output) -> None:
    image.pngsave(path, compression=6, bitdepth=output.depth)


def _write_tiff(image: pyvips.Image, path: str, output: Output) -> None:
    packed = {"zip": "deflate"}.get(output.compression, str(output.compression))
    size = image.width * image.height * image.bands * output.depth / 8
    image.tiffsave(
        path,
        compression=packed,
        **({} if output.compression is Compression.NONE else {"predictor": "horizontal"}),
        **({"tile": True, "tile_width": TILE, "tile_height": TILE} if output.tiled else {}),
        bigtiff=size > BIG_TIFF,
        resunit="inch",
        xres=image.xres,
        yres=image.yres,
    )


def _write_jpeg(image: pyvips.Image, path: str, output: Output) -> None:
    # codes of its own for each picture would save some per cent, but need all of it in memory
    image.jpegsave(path, Q=output.quality, subsample_mode="off" if output.full_colour else "on")


def _write_webp(image: pyvips.Image, path: str, output: Output) -> None:
    image.webpsave(path, Q=output.quality)


def _write_avif(image: pyvips.Image, path: str, output: Output) -> None:
    image.heifsave(path, Q=output.quality, compression="av1", effort=3)


def _write_pdf(
    image: pyvips.Image,
    path: Path,
    ppi: float,
    output: Output,
    placed: "Placed | None",
    says: Mapping[str, str] | None,
    hear: Callable[[float], None] | None,
) -> None:
    width, height = (side / ppi * MM_PER_INCH for side in (image.width, image.height))
    bleed = placed.bleed if placed is not None else Bleed()
    write_pdf(
        image, path, Page(width, height, bleed, output.marks), profile_of(output.profile),
        quality=output.quality, full_colour=output.full_colour, says=says, now=datetime.now(UTC),
        hear=hear,
    )  # fmt: skip


WRITERS: dict[FileFormat, Callable[[pyvips.Image, str, Output], None]] = {
    FileFormat.PNG: _write_png,
    FileFormat.TIFF: _write_tiff,
    FileFormat.JPEG: _write_jpeg,
    FileFormat.WEBP: _write_webp,
    FileFormat.AVIF: _write_avif,
}
LONGEST = {FileFormat.JPEG: 65_500, FileFormat.WEBP: 16_383, FileFormat.AVIF: 16_384}
"""Sides that some kinds can't go beyond, in px."""


def require_writable(size: Size, file: FileFormat) -> None:
    """Refuse files that hardly any program opens again."""
    longest = LONGEST.get(file, LONGEST_SIDE)
    if max(size) > longest or size.megapixels > MOST_MEGAPIXELS:
        other = "" if max(size) > LONGEST_SIDE or file not in LONGEST else " Choose TIFF."
        raise Refusal(
            f"This file would be {size}; at most {longest:,} px a side and {MOST_MEGAPIXELS:,} "
            f"megapixels can be written. Choose another fit or a smaller print.{other}"
        )


def estimated_bytes(canvas: Canvas, size: Size, output: Output, ppi: float) -> int:
    """About how large a file of that size will be: parts of the layer are written to see.

    Nine squares are written as such a file; what all of them take, less what a file takes that holds one
    grey pixel, is counted by area.
    """
    side = min(SAMPLE, *canvas.size)
    total = area = 0
    with tempfile.TemporaryDirectory(prefix="enamel-") as folder:
        scratch = Path(folder)
        fixed = _bytes_of(canvas, Box(0, 0, 1, 1), scratch, output, ppi)
        for down in (0.15, 0.5, 0.85):
            for across in (0.15, 0.5, 0.85):
                x, y = (
                    round(across * (canvas.size.width - side)),
                    round(down * (canvas.size.height - side)),
                )
                total += _bytes_of(canvas, Box(x, y, side, side), scratch, output, ppi) - fixed
                area += side * side
    return fixed + round(total / area * size.width * size.height)


def _bytes_of(canvas: Canvas, box: Box, scratch: Path, output: Output, ppi: float) -> int:
    part = scratch / "part.npy"
    with Canvas.create(part, Box.whole(box.size), canvas.channels) as cut:
        cut.write(cut.region, canvas.read(box))
        path = scratch / f"part{output.file.suffix}"
        export(cut, path, ppi=ppi, output=replace(output, longest=0))
    return path.stat().st_size


@dataclass(frozen=True, slots=True)
class Placed:
    """A layout with what an extended picture goes on with."""

    layout: Layout
    edge: Edge = Edge.MIRROR
    rgb: tuple[int, int, int] = (255, 255, 255)
    bleed: Bleed = Bleed()
    """How much of the file is cut away."""

    def on(self, image: pyvips.Image) -> pyvips.Image:
        """A 16-bit picture of the layout's size, cropped or extended to the file."""
        layout, shown = self.layout, self.layout.shown
        if image.width != layout.picture.width or image.height != layout.picture.height:
            raise Refusal(
                f"The layout is for a picture of {layout.picture}, "
                f"this one has {image.width} × {image.height} px."
            )
        if layout.crops:
            image = image.extract_area(shown.x, shown.y, shown.width, shown.height)
        if not layout.extends:
            return image
        place = (layout.left, layout.top, layout.file.width, layout.file.height)
        if self.edge is Edge.SOLID:
            ground = [257 * value for value in self.rgb] + [65535] * (image.bands - 3)
            return image.embed(*place, extend="background", background=ground)
        wider = image.embed(*place, extend="mirror")
        if self.edge is Edge.MIRROR:
            return wider
        blurred = wider.gaussblur(max(1.0, BLURRED_SHARE * min(layout.picture)))
        blurred = blurred.cast(image.format).copy(interpretation=image.interpretation)
        return blurred.insert(image, layout.left, layout.top)


def laid(settings: PrintSettings, size: Size) -> tuple[Placed | None, float, Size]:
    """How a layer of that size lies in its print file, the file's resolution, and the file's size.

    On a print the resolution is that which the layer's pixels give there; a screen copy that is reduced
    has as much less.
    """
    placed, ppi = None, settings.ppi
    if settings.plan is not None:
        layout, ppi = native(size, settings.plan)
        plan = settings.plan
        bleed = Bleed() if plan.fit is Fit.INSIDE else plan.target.bleed
        placed, size = Placed(layout, plan.edge, plan.rgb, bleed), layout.file
    longest = settings.output.longest
    if longest and max(size) > longest:
        scale = longest / max(size)
        return placed, ppi * scale, size.scaled(scale)
    return placed, ppi, size
