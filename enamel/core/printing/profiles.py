"""Colour profiles of print files: those that are shipped, the artist's own, and conversion to them.

Conversion is LittleCMS's, through libvips, which streams; black-point compensation and the rendering
intents are those of the ICC specification (ISO 15076-1).
"""

import io
import os
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from pathlib import Path

import PIL.ImageCms
import pyvips

from enamel.core.errors import Refusal
from enamel.core.files import whole_file
from enamel.core.imaging.buffer import INTERPRETATIONS, ColourSpace, PixelBuffer

SHIPPED = Path(__file__).parent / "icc"
LARGEST_FILE = 16_000_000
SRGB = "srgb"


class Intent(StrEnum):
    """Rendering intents: what happens to colours out of gamut."""

    PERCEPTUAL = "perceptual"
    RELATIVE = "relative"
    SATURATION = "saturation"
    ABSOLUTE = "absolute"


SPACES = {"RGB": ColourSpace.RGB, "CMYK": ColourSpace.CMYK, "GRAY": ColourSpace.GREY}


@dataclass(frozen=True, slots=True)
class Profile:
    """A colour profile that files can be written in."""

    name: str
    title: str
    space: ColourSpace
    data: bytes
    own: bool = False
    """Whether the artist brought it."""

    @property
    def bands(self) -> int:
        return self.space.bands


def profile_names() -> list[str]:
    """Return all names: sRGB, the shipped profiles, the artist's own."""
    own = sorted(path.stem for path in _own_folder().glob("*.icc"))
    return [SRGB, *sorted(path.stem for path in SHIPPED.glob("*.icc")), *own]


def profile_of(name: str) -> Profile:
    """Return a profile by its name.

    Raises
    ------
    Refusal
        When there is none of that name.
    """
    if name == SRGB:
        data: bytes = pyvips.Operation.call("profile_load", "srgb")
        return Profile(SRGB, "sRGB", ColourSpace.RGB, data)
    path = path_of(name)
    if path is not None:
        return _examined(path, path.stat().st_mtime_ns)
    raise Refusal(f"There is no colour profile “{name}”. There are: {', '.join(profile_names())}.")


@lru_cache(maxsize=32)
def _examined(path: Path, changed: int) -> Profile:
    """Return the profile in a file; tested again only when the file changes."""
    return examine(path.read_bytes(), path.stem, own=path.parent != SHIPPED)


def path_of(name: str) -> Path | None:
    """Return the file of a profile other than sRGB; None when there is none of that name."""
    paths = [folder / f"{name}.icc" for folder in (SHIPPED, _own_folder())]
    return next((path for path in paths if Path(name).name == name and path.is_file()), None)


def examine(data: bytes, name: str, *, own: bool = True) -> Profile:
    """Test a profile and return it.

    Raises
    ------
    Refusal
        When it is not a profile, is not for output or display, or sRGB can't be converted to it.
    """
    if len(data) > LARGEST_FILE:
        raise Refusal("This file is larger than any colour profile.")
    try:
        opened = PIL.ImageCms.ImageCmsProfile(io.BytesIO(data))
        space = SPACES[opened.profile.xcolor_space.strip()]
        title = PIL.ImageCms.getProfileDescription(opened).strip()
        PIL.ImageCms.buildTransform(
            PIL.ImageCms.createProfile("sRGB"), opened, "RGB",
            {ColourSpace.RGB: "RGB", ColourSpace.CMYK: "CMYK", ColourSpace.GREY: "L"}[space],
        )  # fmt: skip
    except KeyError:
        raise Refusal(
            "This profile is for no RGB, CMYK or grey device; print files can't be written in it."
        ) from None
    except (OSError, PIL.ImageCms.PyCMSError):
        raise Refusal(
            "This is no colour profile that sRGB can be converted to. Nothing was kept; ask the shop "
            "for its ICC profile (.icc or .icm)."
        ) from None
    return Profile(name, title or name, space, data, own)


def add_profile(data: bytes, name: str) -> Profile:
    """Test and store a profile of the artist's own.

    Raises
    ------
    Refusal
        When it can't be used or its name is taken by a shipped one; nothing is kept then.
    """
    if name in [SRGB, *(path.stem for path in SHIPPED.glob("*.icc"))] or not name:
        raise Refusal(f"“{name}” is the name of a shipped profile; rename the file first.")
    found = examine(data, name)
    folder = _own_folder()
    folder.mkdir(parents=True, exist_ok=True)
    with whole_file(folder / f"{name}.icc") as partial:
        partial.write_bytes(data)
    return found


def _own_folder() -> Path:
    return Path(os.environ.get("ENAMEL_PROFILES", "profiles"))


def converted(
    picture: PixelBuffer, profile: Profile, intent: Intent, black_point: bool, bits: int
) -> PixelBuffer:
    """Convert a 16-bit sRGB picture to a profile, and embed the profile.

    Parameters
    ----------
    picture : its alpha is unchanged.
    bits : 8 or 16 per sample.
    """
    colour = picture.without_alpha()
    if profile.name == SRGB:
        made = colour.eight_bits() if bits == 8 else colour
    else:
        image = colour.image.icc_transform(
            str(path_of(profile.name)),
            input_profile="srgb",
            intent=str(intent),
            black_point_compensation=black_point,
            depth=bits,
        )
        kind = INTERPRETATIONS[profile.space, bits]
        made = PixelBuffer(image.copy(interpretation=kind), profile.space, bits)
    image = made.image
    if picture.alpha:
        whole = picture.eight_bits() if bits == 8 else picture
        image = image.bandjoin(whole.image[whole.image.bands - 1])
    return replace(made, image=with_profile(image, profile.data), alpha=picture.alpha)


def with_profile(image: pyvips.Image, data: bytes) -> pyvips.Image:
    """Return the picture with an embedded profile, without converting it."""
    tagged = image.copy()
    tagged.set_type(pyvips.GValue.blob_type, "icc-profile-data", data)
    return tagged


def total_ink(picture: PixelBuffer) -> float:
    """Return the largest total ink of a CMYK picture, in per cent of one full ink."""
    image = picture.image
    most: float = (image[0] + image[1] + image[2] + image[3]).max()
    return most / picture.peak * 100
