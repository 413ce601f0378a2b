"""Whether one picture is a smaller or recompressed copy of another."""

from dataclasses import dataclass

import cv2
import numpy as np

from enamel.core.geometry import Size
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of
from enamel.core.imaging.reduce import reduced

HASH_SIDE = 32
KEPT_SIDE = 8
NEAR_BITS = 12
"""Hashes that differ in at most this many of 64 bits are worth a closer look."""
COMPARED_SIDE = 192
SAME_SHAPE = 0.02
"""Largest difference of aspect ratio, as a fraction."""
LIKE = 0.985
"""Least correlation of detail for a copy; strong JPEG compression leaves more than 0.99."""
SMALLER = 0.97


def perceptual_hash(picture: Picture) -> int:
    """64 bits that survive scaling and compression: signs of the picture's lowest frequencies.

    The 8 × 8 lowest coefficients of the cosine transform of a 32 × 32 px luma, each against their
    median (Zauner, "Implementation and benchmarking of perceptual image hash functions", 2010). Pictures
    of the same content differ in few bits, others in about half of them.
    """
    small = _reduced(picture, Size(HASH_SIDE, HASH_SIDE))
    low = cv2.dct(small)[:KEPT_SIDE, :KEPT_SIDE].ravel()
    bits = low > np.median(low[1:])
    return int.from_bytes(np.packbits(bits).tobytes(), "big", signed=True)


def distance(one: int, other: int) -> int:
    """Return number of bits in which two hashes differ."""
    return ((one ^ other) & 0xFFFF_FFFF_FFFF_FFFF).bit_count()


@dataclass(frozen=True, slots=True)
class Likeness:
    """How two pictures compare when they are laid over each other."""

    correlation: float
    """Of their detail at a common small size, shifted to fit best: 1 for the same."""
    ratio: float
    """Length of the first in lengths of the second."""

    @property
    def copies(self) -> bool:
        return self.correlation >= LIKE

    @property
    def smaller(self) -> bool:
        """Whether the first is a smaller copy of the second."""
        return self.copies and self.ratio < SMALLER


def likeness(one: Picture, other: Picture) -> Likeness:
    """Compare two pictures of the same shape; those of different shapes are never alike."""
    ratio = max(one.size) / max(other.size)
    shapes = [picture.size.width / picture.size.height for picture in (one, other)]
    if abs(shapes[0] / shapes[1] - 1) > SAME_SHAPE:
        return Likeness(0.0, ratio)
    scale = COMPARED_SIDE / max(other.size)
    size = Size(*(max(16, round(side * scale)) for side in other.size))
    a, b = (_detail(_reduced(picture, size)) for picture in (one, other))
    (across, down), _ = cv2.phaseCorrelate(a, b)
    if max(abs(across), abs(down)) < 2:  # a resampling's half pixel; more is another crop
        shift = np.array([[1, 0, across], [0, 1, down]], np.float32)
        a = np.asarray(cv2.warpAffine(a, shift, size, borderMode=cv2.BORDER_REFLECT), np.float32)
    scaled = float(np.sqrt((a**2).mean() * (b**2).mean()))
    return Likeness(float((a * b).mean()) / scaled if scaled > 1e-6 else 1.0, ratio)


def _detail(values: FloatArray) -> FloatArray:
    """Return what is left without tone and large shapes, which many pictures share, and without the finest
    grain, which resampling and compression change.
    """
    return cv2.GaussianBlur(values, (0, 0), 1.2) - cv2.GaussianBlur(values, (0, 0), 8)


def _reduced(picture: Picture, size: Size) -> FloatArray:
    """Return luma of a picture at a small size, 0…1 float32."""
    samples = reduced(picture, size)
    colour = samples[..., :3] if samples.shape[2] >= 3 else samples.repeat(3, axis=2)
    return luma_of(colour)
