"""Print files: pixels that open elsewhere at the right physical size and colour."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import pyvips

from enamel.core.base.pixels import vips_image
from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.geometry import Size
from enamel.core.picture.canvas import Canvas
from enamel.core.print.layout import Edge, Layout
from enamel.core.print.sizing import MM_PER_INCH, PRINT_PPI

LONGEST_SIDE, JPEG_SIDE = 200_000, 65_500
MOST_MEGAPIXELS = 4000
BLURRED_SHARE = 0.01
"""Blur of an extended edge, as a share of the picture's shorter side."""


class FileFormat(StrEnum):
    """What a print file can be."""

    PNG = "png"
    TIFF = "tiff"
    JPEG = "jpeg"

    @classmethod
    def of(cls, path: Path) -> "FileFormat":
        """The format that a file name asks for."""
        known = {
            ".png": cls.PNG,
            ".tif": cls.TIFF,
            ".tiff": cls.TIFF,
            ".jpg": cls.JPEG,
            ".jpeg": cls.JPEG,
        }
        try:
            return known[path.suffix.lower()]
        except KeyError:
            raise Refusal(
                f"{path.name} ends in {path.suffix or 'nothing'}; name it .png, .tif or .jpg."
            ) from None


def export(
    canvas: Canvas,
    path: Path,
    *,
    ppi: float = PRINT_PPI,
    bits: int = 8,
    file: FileFormat | None = None,
    placed: "Placed | None" = None,
    xmp: bytes | None = None,
    hear: Callable[[float], None] | None = None,
) -> None:
    """Write a canvas as a print file with resolution and sRGB profile in it.

    Parameters
    ----------
    canvas : the pixels; all of its region is written.
    path : where; the file is whole or not there.
    ppi : resolution written into the file, in pixels per inch.
    bits : 8 or 16 per sample; JPEG is always 8.
    file : format, when the name does not tell.
    placed : how the picture lies on the print; none writes the picture as it is.
    xmp : what the file says of itself.
    hear : told how much of it is written, 0…1, now and then.
    """
    chosen = file or FileFormat.of(path)
    if bits not in (8, 16):
        raise Refusal(f"{bits} bits per sample can't be written; choose 8 or 16.")
    image = vips_image(canvas)
    if placed is not None:
        image = placed.on(image)
    require_writable(Size(image.width, image.height), chosen)
    if bits == 8 or chosen is FileFormat.JPEG:
        image = to_eight_bits(image)
    per_mm = ppi / MM_PER_INCH
    image = image.copy(xres=per_mm, yres=per_mm)
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", srgb_profile())
    if xmp is not None:
        image.set_type(pyvips.GValue.blob_type, "xmp-data", xmp)
    if hear is not None:
        image.set_progress(True)
        image.signal_connect("eval", lambda _, progress: hear(progress.percent / 100))
    with whole_file(path) as partial:
        if chosen is FileFormat.PNG:
            image.pngsave(str(partial), compression=6, bitdepth=bits)
        elif chosen is FileFormat.TIFF:
            image.tiffsave(
                str(partial),
                compression="deflate",
                predictor="horizontal",
                bigtiff=image.width * image.height * image.bands * bits / 8 > 3.9e9,
                resunit="inch",
                xres=per_mm,
                yres=per_mm,
            )
        else:
            if image.hasalpha():
                image = image.flatten(background=[255, 255, 255])
            image.jpegsave(str(partial), Q=95, subsample_mode="off", optimize_coding=True)


def require_writable(size: Size, file: FileFormat) -> None:
    """Refuse files that hardly any program opens again."""
    longest = JPEG_SIDE if file is FileFormat.JPEG else LONGEST_SIDE
    if max(size) > longest or size.megapixels > MOST_MEGAPIXELS:
        other = " Choose TIFF." if file is FileFormat.JPEG and max(size) <= LONGEST_SIDE else ""
        raise Refusal(
            f"This file would be {size}; at most {longest:,} px a side and {MOST_MEGAPIXELS:,} "
            f"megapixels can be written. Choose another fit or a smaller print.{other}"
        )


@dataclass(frozen=True, slots=True)
class Placed:
    """A layout with what an extended picture goes on with."""

    layout: Layout
    edge: Edge = Edge.MIRROR
    rgb: tuple[int, int, int] = (255, 255, 255)

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


def srgb_profile() -> bytes:
    """The ICC profile of the working form."""
    profile: bytes = pyvips.Operation.call("profile_load", "srgb")
    return profile


def to_eight_bits(image: pyvips.Image) -> pyvips.Image:
    """16-bit sRGB as 8-bit, each sample rounded to the nearest value."""
    return (image / 257).rint().cast("uchar").copy(interpretation="srgb")
