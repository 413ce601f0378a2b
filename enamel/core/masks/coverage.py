"""Masks as their users see them: a fraction for each pixel, read box by box."""

from collections.abc import Iterator
from typing import Protocol

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture
from enamel.core.imaging.colour import luma_of

BLOCK = 1024


class Coverage(Protocol):
    """How much of each pixel of a picture is covered, 0 to 1."""

    @property
    def size(self) -> Size: ...
    @property
    def bounds(self) -> Box:
        """A box outside which nothing is covered; empty when nothing is."""
        ...

    def read(self, box: Box) -> FloatArray:
        """(box height, box width) float32 from 0 to 1; the same in any box that has the pixel."""
        ...


class FullCoverage:
    """All of a picture."""

    def __init__(self, size: Size) -> None:
        self.size = size
        self.bounds = Box.whole(size)

    def read(self, box: Box) -> FloatArray:
        return np.ones((box.height, box.width), np.float32)


class Intersection:
    """The intersection of two masks of one picture: their product."""

    def __init__(self, one: Coverage, other: Coverage) -> None:
        self.one, self.other = one, other
        self.size = one.size
        self.bounds = one.bounds.intersection(other.bounds)

    def read(self, box: Box) -> FloatArray:
        covered: FloatArray = self.one.read(box) * self.other.read(box)
        return covered


class Union:
    """The union of two masks: 1 − (1 − a) · (1 − b)."""

    def __init__(self, one: Coverage, other: Coverage) -> None:
        self.one, self.other = one, other
        self.size = one.size
        self.bounds = one.bounds.around(other.bounds)

    def read(self, box: Box) -> FloatArray:
        free: FloatArray = (1 - self.one.read(box)) * (1 - self.other.read(box))
        return 1 - free


class WithOpacity:
    """A mask times an opacity."""

    def __init__(self, mask: Coverage, opacity: float) -> None:
        self.mask, self.opacity = mask, np.float32(opacity)
        self.size, self.bounds = mask.size, mask.bounds

    def read(self, box: Box) -> FloatArray:
        return self.mask.read(box) * self.opacity


class PictureMask:
    """A mask given as a picture: white covers, black is free, a transparent place is free too.

    Raises
    ------
    Refusal
        When it has another size than the picture it is for, or is black all over.
    """

    def __init__(self, picture: Picture, size: Size) -> None:
        if picture.size != size:
            raise Refusal(
                f"The mask is {picture.size} and the picture {size}. Save the mask at the size of the "
                "picture, so that it is clear which pixels it means."
            )
        self.picture = picture
        self.size = size
        self.bounds = bounds_of(self, Box.whole(size))
        require_covered(self)

    def read(self, box: Box) -> FloatArray:
        samples = self.picture.read(box)
        covered = luma_of(samples[..., :3])
        if samples.shape[-1] == 4:
            covered = (covered * (samples[..., 3] / np.float32(WHITE))).astype(np.float32)
        return covered


def covered_blocks(coverage: Coverage, within: Box) -> Iterator[tuple[Box, FloatArray]]:
    """Yield the blocks of a box in which anything is covered, with their values."""
    for block in blocks(within, BLOCK, BLOCK):
        covered = coverage.read(block)
        if covered.any():
            yield block, covered


def bounds_of(coverage: Coverage, within: Box) -> Box:
    """Return the smallest box that has all that is covered; empty when nothing is."""
    found: Box | None = None
    for block, covered in covered_blocks(coverage, within):
        rows, columns = np.flatnonzero(covered.any(1)), np.flatnonzero(covered.any(0))
        here = Box.between(
            block.x + int(columns[0]), block.y + int(rows[0]),
            block.x + int(columns[-1]) + 1, block.y + int(rows[-1]) + 1,
        )  # fmt: skip
        found = found.around(here) if found else here
    return found or Box(within.x, within.y, 0, 0)


def require_covered(coverage: Coverage) -> None:
    """Refuse a mask that covers nothing of its picture."""
    if coverage.bounds.empty or not any(covered_blocks(coverage, coverage.bounds)):
        raise Refusal(
            "The mask covers nothing of this picture. Paint over what is to be changed; in a mask file "
            "white is what changes and black what stays."
        )
