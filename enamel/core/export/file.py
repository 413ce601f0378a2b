"""Write print files, which open in other programs at the right physical size and colour."""

import tempfile
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pyvips

from enamel.core.errors import Refusal
from enamel.core.export.openraster import StackedLayer, write_openraster
from enamel.core.export.output import OPAQUE, Compression, FileFormat, Output
from enamel.core.export.pdf import PdfPage, write_pdf
from enamel.core.export.placed import PlacedPicture
from enamel.core.export.progress import OnFraction, write_with_progress
from enamel.core.export.trace import write_trace
from enamel.core.files import whole_file
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box, Size
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.imaging.canvas import Canvas
from enamel.core.imaging.mapped import kept_out_of_memory
from enamel.core.intake.xmp import packet
from enamel.core.pipeline.firing import materialise
from enamel.core.printing.page import page_of, panel_page, plan_page
from enamel.core.printing.panels import Panel, panels
from enamel.core.printing.paper import sharpening
from enamel.core.printing.profiles import converted, profile_of
from enamel.core.printing.sizing import MM_PER_INCH, PRINT_PPI

LONGEST_SIDE = 200_000
MOST_MEGAPIXELS = 4000
BIG_TIFF = 3.9e9
"""Bytes of samples from which a TIFF needs 64-bit offsets."""
TILE = 256
SAMPLE = 256
"""Side of the squares for estimating a file's size, in px."""
PLAN_PX = 1200
"""Longest side of the picture on the page that shows all panels, in px."""


def export(
    canvas: Canvas,
    path: Path,
    *,
    ppi: float = PRINT_PPI,
    output: Output | None = None,
    placed: PlacedPicture | None = None,
    says: Mapping[str, str] | None = None,
    stack: Sequence[StackedLayer] = (),
    on_progress: OnFraction | None = None,
) -> str:
    """Write a canvas as a print file with resolution and colour profile in it.

    Parameters
    ----------
    canvas : the pixels; all of its region is written.
    path : where; the file is whole or not there.
    ppi : resolution written into the file, in pixels per inch.
    output : what kind of file; 8 bits of the kind that the name asks for when left out.
    placed : how the picture is placed on the print; none writes the picture as it is.
    says : what the file says of itself, if it may: properties of its XMP by prefixed name.
    stack : the layers of an OpenRaster file; the canvas alone when left out.
    on_progress : called with how much of it is written, 0…1, now and then; what it raises ends the writing.

    Returns
    -------
    What there is to say of the file once it is written; empty for most.
    """
    chosen = output or Output(FileFormat.of(path))
    written = says if chosen.metadata else None
    with whole_file(path) as partial, kept_out_of_memory(canvas.path):
        if chosen.file is FileFormat.OPENRASTER:
            layers = stack or [StackedLayer("picture", canvas)]
            write_openraster(
                partial, layers, ppi=ppi, bits=chosen.depth, says=written, on_progress=on_progress
            )
            return ""
        if chosen.file is FileFormat.SVG:
            return write_trace(
                canvas,
                partial,
                ppi=ppi,
                colours=chosen.colours,
                speckle=chosen.speckle,
                says=written,
            ).sentence
        scratch = partial.with_suffix(".sharp")
        picture = drawn(canvas, scratch, ppi, chosen, placed)
        try:
            _write(picture, partial, ppi, chosen, placed, written, on_progress)
        finally:
            scratch.unlink(missing_ok=True)
    return ""


def _write(
    picture: PixelBuffer,
    path: Path,
    ppi: float,
    output: Output,
    placed: PlacedPicture | None,
    says: Mapping[str, str] | None,
    on_progress: OnFraction | None,
) -> None:
    """Write the pixels of a print file, whole or in panels."""
    size = picture.size
    plan = placed.plan if placed is not None else None
    parts = panels(size, ppi, plan.split) if plan is not None else []
    title = (says or {}).get("dc:title") or "Print"
    if output.file is FileFormat.PDF:
        whole = page_of(plan, size, ppi, marks=output.marks)
        sheets = [PdfPage(picture, whole)]
        if len(parts) > 1:
            sheets = [PdfPage(_reduced(picture), plan_page(parts, size, ppi, title))]
            sheets += [
                PdfPage(picture.cropped(part.box), panel_page(part, whole, ppi, title))
                for part in parts
            ]
        write_pdf(
            sheets, path, profile_of(output.profile), quality=output.quality,
            full_colour=output.full_colour, says=says, now=datetime.now(UTC), on_progress=on_progress,
        )  # fmt: skip
    elif len(parts) > 1:
        _write_panels(picture, path, ppi, output, parts, says, on_progress)
    else:
        _write_picture(picture, path, ppi, output, says, on_progress)


def _write_picture(
    picture: PixelBuffer,
    path: Path,
    ppi: float,
    output: Output,
    says: Mapping[str, str] | None,
    on_progress: OnFraction | None,
) -> None:
    image = described(picture.image, ppi, packet(says) if says is not None else None)
    write_with_progress(image, lambda: WRITERS[output.file](image, str(path), output), on_progress)


def _write_panels(
    picture: PixelBuffer,
    path: Path,
    ppi: float,
    output: Output,
    parts: Sequence[Panel],
    says: Mapping[str, str] | None,
    on_progress: OnFraction | None,
) -> None:
    """A ZIP of one picture for each panel, and a page that shows how they lie."""
    size, title = picture.size, (says or {}).get("dc:title") or "Print"
    one = path.with_suffix(".panel")
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            for number, part in enumerate(parts):
                _write_picture(picture.cropped(part.box), one, ppi, output, says, None)
                archive.write(one, f"row-{part.row}-column-{part.column}{output.file.suffix}")
                if on_progress is not None:
                    on_progress((number + 1) / (len(parts) + 1))
            sheet = PdfPage(_reduced(picture), plan_page(parts, size, ppi, title))
            write_pdf([sheet], one, profile_of(output.profile), quality=90, now=datetime.now(UTC))
            archive.write(one, "plan.pdf")
    finally:
        one.unlink(missing_ok=True)


def _reduced(picture: PixelBuffer) -> PixelBuffer:
    """Return a small copy for the assembly page, in the same profile, 8 bits, opaque."""
    return picture.at_most(PLAN_PX).flattened().eight_bits()


def drawn(
    canvas: Canvas, scratch: Path, ppi: float, output: Output, placed: PlacedPicture | None
) -> PixelBuffer:
    """Return the pixels of a print file: sharpened, placed, reduced, converted to its profile.

    ``scratch`` is where sharpened pixels may lie meanwhile.
    """
    sharpen = sharpening(output.paper, ppi)
    if sharpen is not None:
        made = Finished(canvas, Finish(sharpen=sharpen))
        canvas = materialise(made, made.whole, scratch)
    picture = PixelBuffer.of_canvas(canvas)
    if placed is not None:
        picture = placed.on(picture)
    if output.longest:
        picture = picture.at_most(output.longest)
    require_writable(picture.size, output.file)
    profile = profile_of(output.profile)
    if output.file in OPAQUE or profile.space is not ColourSpace.RGB:
        picture = picture.flattened()
    return converted(picture, profile, output.intent, output.black_point, output.depth)


def described(image: pyvips.Image, ppi: float, xmp: bytes | None) -> pyvips.Image:
    """Return the picture with its resolution and metadata; nothing else goes into the file."""
    per_mm = ppi / MM_PER_INCH
    written = image.copy(xres=per_mm, yres=per_mm)
    if xmp is not None:
        written.set_type(pyvips.GValue.blob_type, "xmp-data", xmp)
    return written


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
    # Huffman codes for each picture would save some per cent, but need all of it in memory
    image.jpegsave(path, Q=output.quality, subsample_mode="off" if output.full_colour else "on")


def _write_webp(image: pyvips.Image, path: str, output: Output) -> None:
    image.webpsave(path, Q=output.quality)


def _write_avif(image: pyvips.Image, path: str, output: Output) -> None:
    image.heifsave(path, Q=output.quality, compression="av1", effort=3)


WRITERS: dict[FileFormat, Callable[[pyvips.Image, str, Output], None]] = {
    FileFormat.PNG: _write_png,
    FileFormat.TIFF: _write_tiff,
    FileFormat.JPEG: _write_jpeg,
    FileFormat.WEBP: _write_webp,
    FileFormat.AVIF: _write_avif,
}
LONGEST = {FileFormat.JPEG: 65_500, FileFormat.WEBP: 16_383, FileFormat.AVIF: 16_384}
"""Longest side of some kinds of files, in px."""


def require_writable(size: Size, file: FileFormat) -> None:
    """Refuse files that hardly any program could open."""
    longest = LONGEST.get(file, LONGEST_SIDE)
    if max(size) > longest or size.megapixels > MOST_MEGAPIXELS:
        other = "" if max(size) > LONGEST_SIDE or file not in LONGEST else " Choose TIFF."
        raise Refusal(
            f"This file would be {size}; at most {longest:,} px a side and {MOST_MEGAPIXELS:,} "
            f"megapixels can be written. Choose another fit or a smaller print.{other}"
        )


def estimated_bytes(canvas: Canvas, size: Size, output: Output, ppi: float) -> int:
    """Return about how large a file of that size will be, by writing parts of the layer.

    Nine squares are written as such a file; their bytes, less those of a file with one grey pixel, are
    scaled by area.
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
