"""Overviews: pictures as means of small cells, for what steps need of the whole. Computed once for each
layer.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np

from enamel.core.finishing.kernels import Planes
from enamel.core.finishing.planes import EDGE, planes_of, samples_of
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Picture, SampleArray
from enamel.core.imaging.cells import between_cells, cell_means, cells_of

CELL = 16
"""Largest side of a cell in px of the picture; small pictures have smaller cells."""
CELLS = 256
"""Fewest cells along the longer side, unless it has fewer px."""
FINE = 4.0
"""Blurs of more cells are computed on cells twice as large, and so on."""
COARSE_SIDE = 256
"""Longest side of the copy from which means and spreads are taken."""


def cell_of(size: Size) -> int:
    """Side of the cells for a picture of that size: a power of two."""
    cell = CELL
    while cell > 1 and max(size) < cell * CELLS:
        cell //= 2
    return cell


@dataclass(frozen=True, slots=True)
class Overview:
    """Means of a picture's cells.

    Parameters
    ----------
    cells : (rows, columns, 3) 16-bit.
    size : of the picture in px.
    cell : side of a cell in px.
    """

    cells: SampleArray
    size: Size
    cell: int

    @classmethod
    def of(cls, picture: Picture) -> "Overview":
        """Read a picture once from top to bottom."""
        cell = cell_of(picture.size)
        means = cell_means(picture, cell, Box.whole(cells_of(picture.size, cell)))
        return cls(np.rint(means[..., :3]).astype(np.uint16), picture.size, cell)

    @property
    def planes(self) -> Planes:
        return planes_of(self.cells)

    @property
    def side(self) -> int:
        """Cells along the longer side."""
        return max(self.cells.shape[:2])

    def coarse(self, side: int = COARSE_SIDE) -> SampleArray:
        """Return the picture with its longer side at a number of px, at most 256."""
        height, width = self.cells.shape[:2]
        scale = min(1.0, min(side, COARSE_SIDE) / self.side)
        small = (max(1, round(width * scale)), max(1, round(height * scale)))
        made: SampleArray = cv2.resize(self.cells, small, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
        return made

    def as_coarse_as(self, other: "Overview") -> "Overview":
        """Return the picture in another's cells, where those are fewer; both have the same shape."""
        if other.side >= self.side:
            return self
        shape = other.cells.shape[1::-1]
        cells = cv2.resize(self.cells, shape, interpolation=cv2.INTER_AREA)
        return Overview(cells, other.size, other.cell)  # type: ignore[arg-type]

    def laid_on(self, other: "Overview") -> "Overview":
        """Return the picture stretched to another's shape, in the other's cells."""
        if (self.size, self.cell) == (other.size, other.cell):
            return self
        # the middles of the other's cells in coordinates of these cells
        down, across = other.cells.shape[:2]
        x, y = (
            ((np.arange(count) + 0.5) * other.cell * (own / wide) / self.cell - 0.5).astype(
                np.float32
            )
            for count, own, wide in zip((across, down), self.size, other.size, strict=True)
        )
        columns, rows = np.meshgrid(x, y)
        cells = self.cells
        shrink = self.side / other.side
        if shrink > 1:
            cells = cv2.GaussianBlur(cells, (0, 0), shrink / 2, borderType=EDGE)  # type: ignore[assignment]
        made = cv2.remap(cells, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return Overview(made, other.size, other.cell)  # type: ignore[arg-type]

    def through(self, change: Callable[[Planes], Planes]) -> "Overview":
        """Return the overview after a step that treats each pixel by itself."""
        return replace(self, cells=samples_of(change(self.planes)))


@dataclass(frozen=True, slots=True)
class Low:
    """Low frequencies of a picture, or of a difference of two, read box by box at full resolution."""

    cells: FloatArray
    cell: int

    @classmethod
    def of(cls, cells: FloatArray, cell: int, radius: int) -> "Low":
        """Blurred by a Gaussian of standard deviation ``radius`` px.

        Parameters
        ----------
        cells : (rows, columns) or (rows, columns, channels), one for each cell of an overview.
        cell : their side in px.
        """
        while radius / cell > FINE and min(cells.shape[:2]) > 1:
            height, width = cells.shape[:2]
            even = ((0, height % 2), (0, width % 2), *((0, 0),) * (cells.ndim - 2))
            padded = np.pad(cells, even, mode="edge")
            cells = (
                padded[::2, ::2] + padded[1::2, ::2] + padded[::2, 1::2] + padded[1::2, 1::2]
            ) / np.float32(4)
            cell *= 2
        low = cv2.GaussianBlur(cells, (0, 0), radius / cell, borderType=EDGE)
        beyond = ((1, 2), (1, 2), *((0, 0),) * (cells.ndim - 2))
        return cls(np.pad(low, beyond, mode="edge").astype(np.float32), cell)

    def read(self, box: Box) -> FloatArray:
        """(box height, box width, …) float32."""
        return between_cells(self.cells, box, self.cell, -1, -1)

    def at_cells_of(self, overview: Overview) -> FloatArray:
        """At the middles of an overview's cells, (rows, columns, …)."""
        down, across = overview.cells.shape[:2]
        return between_cells(
            self.cells, Box(0, 0, across, down), self.cell // overview.cell, -1, -1
        )
