"""Real pictures for the tests: parts of the demo bases, small enough to be refined in a moment."""

from functools import lru_cache
from pathlib import Path

import numpy as np
import PIL.Image
from numpy.testing import assert_array_equal

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Picture, Pixels, SampleArray

DEMO = Path(__file__).parent.parent / "demo" / "pictures"
STATIONMASTER = DEMO / "stationmaster.png"
STATIONMASTER_TRUTH = DEMO / "stationmaster.truth.jpg"
NIGHT_MAIL = DEMO / "night-mail.png"
PLATFORM = DEMO / "platform.png"
SIGNAL_LAMP = DEMO / "signal-lamp.jpg"


@lru_cache(maxsize=8)
def part(path: Path, box: Box) -> Pixels:
    """A part of a demo base as 16-bit samples."""
    with PIL.Image.open(path) as image:
        crop = image.convert("RGB").crop((box.x, box.y, box.right, box.bottom))
    return Pixels(np.asarray(crop).astype(np.uint16) * 257)


def portrait(width: int = 112, height: int = 88) -> Pixels:
    """An eye and some wall of the stationmaster."""
    return part(STATIONMASTER, Box(290, 300, width, height))


def contact_sheet() -> PIL.Image.Image:
    """Four parts of the stationmaster, 200 × 160 px each, with gutters of 8 px."""
    sheet = PIL.Image.new("RGB", (408, 328), "white")
    with PIL.Image.open(STATIONMASTER) as image:
        for number in range(4):
            left, top = 200 * (number % 2), 160 * number
            cell = image.convert("RGB").crop((left, top, left + 200, top + 160))
            sheet.paste(cell, (208 * (number % 2), 168 * (number // 2)))
    return sheet


def whole(picture: Picture) -> SampleArray:
    return picture.read(Box.whole(picture.size))


def assert_same_pixels(one: SampleArray, other: SampleArray) -> None:
    """Equal bit for bit, or a failure that counts what differs."""
    assert_array_equal(one, other)


def distance(one: Picture, other: Picture) -> float:
    """Root mean square difference, as fractions of white."""
    difference = whole(one).astype(float) - whole(other)
    return float(np.sqrt((difference**2).mean()) / 65535)
