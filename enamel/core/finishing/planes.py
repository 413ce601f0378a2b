"""Colour planes, and the blurs that steps share.

A window has to have the same bits as the whole. So planes are 16-bit integers between all operations, and
blurs are OpenCV's, which for 16 bits are computed in fixed point or as integer sums.
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.finishing.kernels import Plane, Planes
from enamel.core.imaging.canvas import SampleArray

LEVEL = 257
"""16-bit steps in one level of 8 bits."""
EDGE = cv2.BORDER_REFLECT
"""Border mode: mirrored, the edge sample repeated."""


def planes_of(samples: SampleArray) -> Planes:
    """Return the colour planes of samples (height, width, 3 or 4)."""
    return np.ascontiguousarray(np.moveaxis(samples[..., :3], -1, 0))


def samples_of(planes: Planes) -> SampleArray:
    """Return samples from colour planes, (height, width, 3)."""
    return np.ascontiguousarray(np.moveaxis(planes, 0, -1))


def reach_of(sigma: float) -> int:
    """Return the radius of `blurred` in px."""
    return math.ceil(3 * sigma)


def blurred(plane: Plane, sigma: float, *, across: bool = True, down: bool = True) -> Plane:
    """Gaussian blur of a plane, cut at 3 σ, in fixed point; along one direction only if wished."""
    side = 2 * reach_of(sigma) + 1
    made: Plane = cv2.GaussianBlur(  # type: ignore[assignment]
        plane, (side if across else 1, side if down else 1), sigma, borderType=EDGE
    )
    return made


def boxes_of(sigma: float) -> list[int]:
    """Widths of three boxes whose blurs, one after the other, are nearly a Gaussian's of ``sigma`` px.

    Kovesi, "Fast almost-Gaussian filtering", DICTA 2010, section II: widths that are odd and differ by 2 at
    most, as many of each as bring the variance nearest.
    """
    narrow = int(math.sqrt(4 * sigma * sigma + 1))
    narrow -= (narrow + 1) % 2
    wide = round((4 * sigma * sigma + 1 - narrow * narrow) * 3 / (4 * narrow + 4))
    return [narrow] * (3 - wide) + [narrow + 2] * wide


def smooth_reach(sigma: float) -> int:
    """Return the radius of `smoothed` in px."""
    return sum(width // 2 for width in boxes_of(sigma))


def smoothed(plane: Plane, sigma: float, *, across: bool = True, down: bool = True) -> Plane:
    """Nearly a Gaussian blur, by three boxes: for wide blurs whose exact shape does not matter."""
    for width in boxes_of(sigma):
        if width > 1:
            sides = (width if across else 1, width if down else 1)
            plane = cv2.blur(plane, sides, borderType=EDGE)  # type: ignore[assignment]
    return plane


def lowest(plane: Plane, reach: int) -> Plane:
    """Return the least value in a square of that radius."""
    made: Plane = cv2.erode(plane, _square(reach), borderType=EDGE)  # type: ignore[assignment]
    return made


def highest(plane: Plane, reach: int) -> Plane:
    """Return the largest value in a square of that radius."""
    made: Plane = cv2.dilate(plane, _square(reach), borderType=EDGE)  # type: ignore[assignment]
    return made


def _square(reach: int) -> NDArray[np.uint8]:
    return np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
