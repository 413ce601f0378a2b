"""Import picture files: examine them, refuse what can't be trusted, and read their pixels into a canvas."""

import io
import logging
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import PIL.Image
import pyvips

from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.canvas import Canvas, SampleArray
from enamel.core.intake.metadata import carried_text
from enamel.core.intake.profiles import is_srgb, matrix_profile

logger = logging.getLogger(__name__)

PIL.Image.MAX_IMAGE_PIXELS = None  # `Limits` guards instead: it can be set, and its refusal teaches

MEDIA_TYPES = {
    "PNG": "image/png",
    "JPEG": "image/jpeg",
    "WEBP": "image/webp",
    "TIFF": "image/tiff",
}
KNOWN = "PNG, JPEG, WebP or TIFF"
BAND_ROWS = 512
TIFF_BEGINNINGS = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
PHOTOMETRIC, COMPRESSION, SAMPLES = 262, 259, 277
"""Tags of TIFF (revision 6.0)."""
YCBCR, JPEG_IN_TIFF = 6, 7
SIDES_SWAPPED = 5
"""Orientations from this on are turned by 90° (EXIF 2.32, 4.6.4)."""
LEAST_JPEG_BITS = 0.01
"""Bits for a pixel below which a JPEG can't be whole: every block of 64 needs at least one."""

SUFFIXES = frozenset({".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff"})
"""Suffixes of picture files in a folder."""


def taken_for_picture(path: Path) -> bool:
    """Return whether a file in a folder is a picture by its name: not hidden, with a known suffix."""
    return path.suffix.lower() in SUFFIXES and not path.name.startswith(".") and path.is_file()


@dataclass(frozen=True, slots=True)
class Limits:
    """Limits for files. Settings of the installation."""

    max_bytes: int = 200 * 10**6
    max_megapixels: float = 300.0
    min_side: int = 16
    max_side: int = 32_000
    """Longest side in px. Results may have a little more than twice that."""


@dataclass(frozen=True, slots=True)
class FileFacts:
    """Facts about a picture file from its headers."""

    format: str
    media_type: str
    size: Size
    """As seen, orientation applied."""
    bits: int
    mode: str
    """Colour as stored, in words."""
    has_alpha: bool
    profile: str | None
    """Name of the embedded colour profile."""
    text: Mapping[str, str] = field(default_factory=dict)
    """All text in the file: PNG text, EXIF, XMP."""
    gamma_profile: bytes = b""
    """Profile made from PNG's gAMA and cHRM, where they differ from sRGB."""


def examine(path: Path, limits: Limits | None = None) -> FileFacts:
    """Return the facts about a file from its content, without decoding it.

    Raises
    ------
    Refusal
        Not a picture of a known type, too large, too small, animated, or broken.
    """
    limits = limits or Limits()
    length = path.stat().st_size
    if length == 0:
        raise Refusal("This file is empty. Export or download the picture again.")
    if length > limits.max_bytes:
        raise Refusal(
            f"This file has {length / 1e6:.0f} MB. Enamel takes files up to "
            f"{limits.max_bytes / 1e6:.0f} MB; set ENAMEL_MAX_UPLOAD_MB higher to allow more."
        )
    try:
        with PIL.Image.open(path, formats=list(MEDIA_TYPES)) as image:
            return _facts(image, path, limits)
    except Refusal:
        raise
    except PIL.UnidentifiedImageError:
        with path.open("rb") as file:
            beginning = file.read(4)
        if beginning in TIFF_BEGINNINGS:
            raise Refusal(
                "This TIFF is broken, or of a kind that Enamel does not read: 32-bit or "
                "floating-point samples, many channels. Export it as RGB, greyscale or CMYK with "
                "8 or 16 bits."
            ) from None
        raise Refusal(f"This is not a picture that Enamel can read. Choose {KNOWN}.") from None
    except Exception as error:  # a broken file may fail in any way
        logger.info("%s could not be examined: %r", path, error)
        raise Refusal(
            "This file is broken and can't be read. Export or download it again."
        ) from error


def _facts(image: PIL.Image.Image, path: Path, limits: Limits) -> FileFacts:
    size = Size(*image.size)
    if size.megapixels > limits.max_megapixels:
        raise Refusal(
            f"This file says it is {size}. Enamel opens pictures up to {limits.max_megapixels:g} "
            "megapixels; set ENAMEL_MAX_MEGAPIXELS higher to allow more."
        )
    if min(size) < limits.min_side:
        raise Refusal(f"This picture is {size}; at least {limits.min_side} px a side are needed.")
    if max(size) > limits.max_side:
        raise Refusal(
            f"This picture is {size}; a side may have {limits.max_side:,} px at most. "
            "Cut it into parts, or choose a smaller copy."
        )
    if getattr(image, "is_animated", False):
        kind = "pages" if image.format == "TIFF" else "frames"
        raise Refusal(f"This file holds several {kind}. Choose a file with a single picture.")
    assert image.format is not None
    _refuse_misread(image, path)
    alpha = image.mode in ("RGBA", "LA", "PA", "RGBa") or "transparency" in image.info
    return FileFacts(
        image.format,
        MEDIA_TYPES[image.format],
        _seen(path, image.format),
        _bits(image),
        image.mode,
        alpha,
        profile_name(image.info.get("icc_profile")),
        carried_text(image),
        _gamma_profile(image),
    )


def _gamma_profile(image: PIL.Image.Image) -> bytes:
    """Return a profile for a PNG that has gAMA but neither a profile nor the sRGB chunk."""
    gamma, chromaticities = image.info.get("gamma"), image.info.get("chromaticity")
    if image.format != "PNG" or not gamma or "srgb" in image.info or "icc_profile" in image.info:
        return b""
    if is_srgb(gamma, chromaticities) or not 0.1 <= gamma <= 2:
        return b""
    return matrix_profile(gamma, chromaticities)


def _refuse_misread(image: PIL.Image.Image, path: Path) -> None:
    """Refuse files that could be decoded, but to wrong pixels."""
    if image.format == "TIFF":
        tags = image.tag_v2  # type: ignore[attr-defined]
        if tags.get(PHOTOMETRIC) == YCBCR and tags.get(COMPRESSION) != JPEG_IN_TIFF:
            raise Refusal(
                "This TIFF stores brightness and colour apart (YCbCr), which only JPEG-compressed "
                "TIFFs do as a rule. Export it as RGB with 8 or 16 bits."
            )
        if tags.get(SAMPLES, 1) > 4 + (image.mode == "CMYK"):
            raise Refusal(
                f"This TIFF holds {tags[SAMPLES]} channels. Export it as RGB with at most one "
                "alpha channel."
            )
    bits = 8 * path.stat().st_size / (image.width * image.height)
    if image.format == "JPEG" and bits < LEAST_JPEG_BITS:
        raise Refusal(
            f"This file says it is {Size(*image.size)}, but ends long before. Export or download "
            "it again."
        )


def _seen(path: Path, form: str) -> Size:
    """Return the size after the orientation is applied."""
    image = LOADERS[form](str(path), access="sequential")
    turned = image.get_typeof("orientation") and image.get("orientation") >= SIDES_SWAPPED
    return Size(image.height, image.width) if turned else Size(image.width, image.height)


def _bits(image: PIL.Image.Image) -> int:
    """Bits per sample as stored; Pillow's own mode hides 16-bit colour."""
    if image.mode.startswith("I;16") or image.mode == "I":
        return 16
    if image.mode == "F":
        return 32
    if image.mode == "1":
        return 1
    if image.format == "PNG":
        with open(image.filename, "rb") as file:  # type: ignore[attr-defined]
            return file.read(25)[24]  # bit depth in the IHDR chunk
    if image.format == "TIFF":
        return max(image.tag_v2.get(258, (8,)))  # type: ignore[attr-defined]
    return 8


def profile_name(profile: bytes | None) -> str | None:
    """Description inside an ICC profile, or None without one."""
    if not profile:
        return None
    from PIL import ImageCms

    try:
        return ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile))).strip()
    except (OSError, ImageCms.PyCMSError):
        return "unreadable profile"


LOADERS = {
    "PNG": pyvips.Image.pngload,
    "JPEG": pyvips.Image.jpegload,
    "WEBP": pyvips.Image.webpload,
    "TIFF": pyvips.Image.tiffload,
}


def read_canvas(
    path: Path,
    facts: FileFacts,
    into: Path,
    on_progress: Callable[[float], None] = lambda fraction: None,
) -> Canvas:
    """Decode a file into a 16-bit sRGB canvas: orientation applied, embedded profile converted.

    Parameters
    ----------
    on_progress : called with the fraction read, 0…1, after every band of rows.

    Raises
    ------
    Refusal
        When the pixels turn out to be broken or cut short; ``into`` is then not left behind.
    """
    # TIFF's decoder reports tiles whose checksum fails as warnings; JPEG's warns of harmless things
    strictly = "warning" if facts.format == "TIFF" else "error"
    try:
        image = LOADERS[facts.format](str(path), fail_on=strictly, access="sequential")
        if image.get_typeof("orientation") and image.get("orientation") > 1:
            # turning needs all rows at once; decoded to a file of vips' own when large
            image = LOADERS[facts.format](str(path), fail_on=strictly).autorot()
        if facts.gamma_profile and not image.get_typeof("icc-profile-data"):
            image = image.copy()
            image.set_type(pyvips.GValue.blob_type, "icc-profile-data", facts.gamma_profile)
        image = working_form(image)
        size = Size(image.width, image.height)
        with (
            whole_file(into) as partial,
            Canvas.create(partial, Box.whole(size), image.bands) as canvas,
        ):
            for band in blocks(Box.whole(size), size.width, BAND_ROWS):
                canvas.write(band, _samples(image.crop(0, band.y, band.width, band.height)))
                on_progress(band.bottom / size.height)
    except pyvips.Error as error:
        logger.info("%s could not be decoded: %s", path, error)
        raise Refusal(
            "This file is broken: its pixels end early or can't be decoded. Nothing was brought "
            "in; export or download it again."
        ) from error
    return Canvas(into)


def working_form(image: pyvips.Image) -> pyvips.Image:
    """Return any vips image as 16-bit sRGB of three bands, or four with alpha."""
    if image.format in ("float", "double", "complex", "dpcomplex"):
        raise Refusal(
            "This file holds floating-point pixels, whose black and white are not defined. "
            "Export it with 8 or 16 bits."
        )
    alpha = None
    if image.hasalpha():
        alpha = image[image.bands - 1]
        peak = 65535 if image.format == "ushort" else 255
        alpha = alpha if peak == 65535 else alpha.cast("ushort") * 257
        image = image.extract_band(0, n=image.bands - 1)
    if image.get_typeof("icc-profile-data") or image.interpretation == "cmyk":
        image = image.icc_transform(
            "srgb",
            embedded=True,
            input_profile="cmyk" if image.interpretation == "cmyk" else "srgb",
            intent="relative",
            black_point_compensation=True,
            depth=16,
        )
    elif image.format == "uchar" and image.interpretation in ("srgb", "b-w"):
        image = image.cast("ushort") * 257
        image = image.copy(interpretation="rgb16" if image.bands == 3 else "grey16")
    image = image.colourspace("rgb16").cast("ushort")
    return image.bandjoin(alpha.cast("ushort")) if alpha is not None else image


def _samples(image: pyvips.Image) -> SampleArray:
    shape = (image.height, image.width, image.bands)
    return np.frombuffer(image.write_to_memory(), np.uint16).reshape(shape)
