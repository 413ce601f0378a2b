"""A result and its base prepared for comparing: both as a whole at the base's resolution."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture
from enamel.core.imaging.colour import luma
from enamel.core.imaging.reduce import reduced

MOST_MEGAPIXELS = 4.0
"""Bases above this are compared at this size, so that memory does not grow with them."""
CELL = 8
"""Side of the cells that measures are averaged over, in px of the comparing size."""
SAME_SHAPE = 0.01
"""Largest relative difference of the aspect ratios of a result and its base."""


@dataclass(frozen=True)
class Pair:
    """A base and a result that was made from it."""

    base: Picture
    result: Picture

    def __post_init__(self) -> None:
        one, other = self.base.size, self.result.size
        if abs(one.width * other.height / (one.height * other.width) - 1) > SAME_SHAPE:
            raise Refusal(
                f"The result, {other}, has another shape than the base, {one}. Compare a result "
                "with the picture that it was made from, uncropped."
            )

    @cached_property
    def size(self) -> Size:
        """The comparing size: the smaller picture's, within limits."""
        smaller = min(self.base.size, self.result.size, key=lambda size: size.megapixels)
        scale = min(1.0, (MOST_MEGAPIXELS / smaller.megapixels) ** 0.5)
        return smaller.scaled(scale)

    @property
    def scale(self) -> tuple[float, float]:
        """Px of the result on one px of the comparing size, across and down."""
        return self.result.size.width / self.size.width, self.result.size.height / self.size.height

    @property
    def cell(self) -> tuple[float, float]:
        """A cell's width and height in px of the result."""
        return self.scale[0] * CELL, self.scale[1] * CELL

    @cached_property
    def small_base(self) -> FloatArray:
        """(height, width, 3) float32 as fractions of white."""
        return _whole(self.base, self.size)

    @cached_property
    def small_result(self) -> FloatArray:
        return _whole(self.result, self.size)

    @cached_property
    def base_luma(self) -> FloatArray:
        return luma(self.small_base)

    @cached_property
    def result_luma(self) -> FloatArray:
        return luma(self.small_result)


def _whole(picture: Picture, size: Size) -> FloatArray:
    whole = Box.whole(size)
    samples = picture.read(whole) if picture.size == size else reduced(picture, size)
    return samples[..., :3].astype(np.float32) / np.float32(WHITE)


MAD_TO_SIGMA = 1.4826
"""Standard deviation of a normal distribution over its median absolute deviation."""


def eight_bits(values: FloatArray) -> NDArray[np.uint8]:
    """Return fractions of white as 8-bit values, for functions that need these."""
    return np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8)


def blurred(values: FloatArray, sigma: float) -> FloatArray:
    """Return a field blurred by a Gaussian of that standard deviation in px."""
    made: FloatArray = cv2.GaussianBlur(values, (0, 0), sigma)  # type: ignore[assignment]
    return made


def cell_means(values: FloatArray, cell: int = CELL) -> FloatArray:
    """Return means over whole cells of a field, the last column and row over what is left of them."""
    height, width = values.shape
    rows, columns = -(-height // cell), -(-width // cell)
    padded = cv2.copyMakeBorder(
        values, 0, rows * cell - height, 0, columns * cell - width, cv2.BORDER_REPLICATE
    )
    means: FloatArray = padded.reshape(rows, cell, columns, cell).mean(
        axis=(1, 3), dtype=np.float32
    )
    return means


def cell_box(pair: Pair, box: Box) -> tuple[slice, slice]:
    """Return the cells under a box of the result."""
    across, down = pair.cell
    return (
        slice(int(box.y / down), max(int(box.y / down) + 1, int(-(-box.bottom // down)))),
        slice(int(box.x / across), max(int(box.x / across) + 1, int(-(-box.right // across)))),
    )
