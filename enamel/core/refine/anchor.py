"""Colour anchoring: the low frequencies of a refined picture are led back to those of its source.

refined + amount · (low(source) − low(refined)), where low is a Gaussian blur. The blur runs over means
of square cells anchored at the picture's origin, and is interpolated between their centres: cheap at
any radius, and the same bits in any window.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size, blocks
from enamel.core.picture.canvas import WHITE, FloatArray, Picture, SampleArray, mirrored_index
from enamel.core.picture.soften import gaussian_taps, weighted
from enamel.core.refine.protect import Shares

Places = NDArray[Any]


def cell_of(radius: int) -> int:
    """Side of the cells in px for a blur of that standard deviation."""
    return max(1, radius // 4)


def margin(radius: int) -> int:
    """How far around a pixel anchoring looks, in px."""
    cell = cell_of(radius)
    return (math.ceil(3 * radius / cell) + 3) * cell


class Anchored:
    """A refined picture with the colour of its source.

    Parameters
    ----------
    refined, source : pictures of the same size; three channels each.
    amount : 0…1.
    radius : standard deviation of the blur in px.
    shares : of the strength that each pixel was left; its colour is led as far.
    """

    channels = 3

    def __init__(
        self,
        refined: Picture,
        source: Picture,
        amount: float,
        radius: int,
        shares: Shares | None = None,
    ) -> None:
        self.shares = shares
        self.size = refined.size
        self.refined = refined
        self.source = source
        self.amount = np.float32(amount)
        self.cell = cell_of(radius)
        self.taps = gaussian_taps(radius / self.cell)
        self.cells = Size(-(-self.size.width // self.cell), -(-self.size.height // self.cell))

    def read(self, box: Box) -> SampleArray:
        cell = self.cell
        # cells whose centres lie around the box, and as many more as the blur reaches
        columns = np.arange(box.x // cell - 1, (box.right - 1) // cell + 2)
        rows = np.arange(box.y // cell - 1, (box.bottom - 1) // cell + 2)
        low = self._blurred(rows, columns)
        shift = self._between(low, box, rows[0], columns[0])
        if self.shares is not None:
            shift = shift * self.shares.read(box)
        samples = self.refined.read(box) + self.amount * shift
        return np.clip(np.rint(samples), 0, WHITE).astype(np.uint16)

    def _blurred(self, rows: Places, columns: Places) -> FloatArray:
        """Blurred difference of cell means at the given cells, those beyond the edge mirrored."""
        reach = len(self.taps) // 2
        down = mirrored_index(rows[0] - reach, rows[-1] + reach + 1, self.cells.height)
        across = mirrored_index(columns[0] - reach, columns[-1] + reach + 1, self.cells.width)
        top, left = int(down.min()), int(across.min())
        known = Box.between(left, top, int(across.max()) + 1, int(down.max()) + 1)
        difference = self._means(self.source, known) - self._means(self.refined, known)
        tall = weighted(difference[down - top], self.taps)
        wide = weighted(tall[:, across - left].swapaxes(0, 1), self.taps)
        return wide.swapaxes(0, 1)

    def _means(self, picture: Picture, cells: Box) -> FloatArray:
        """Mean of each cell, exact: sums of whole numbers."""
        cell = self.cell
        region = Box(cells.x * cell, cells.y * cell, cells.width * cell, cells.height * cell)
        region = region.intersection(Box.whole(self.size))
        at_columns = np.arange(0, region.width, cell)
        widths = np.diff([*at_columns, region.width])[:, None]
        means = np.empty((cells.height, len(at_columns), picture.channels), np.float32)
        for number, row in enumerate(blocks(region, region.width, cell)):
            samples = picture.read(row)  # a row of cells at a time: a large radius reads far around
            sums = np.add.reduceat(samples.sum(axis=0, dtype=np.int64), at_columns, axis=0)
            means[number] = sums / (row.height * widths)
        return means

    def _between(self, low: FloatArray, box: Box, first_row: int, first_column: int) -> FloatArray:
        """Linear interpolation between the cells' centres, at the box's pixels."""
        low = _interpolated(low, (np.arange(box.y, box.bottom) + 0.5) / self.cell - 0.5 - first_row)
        across = (np.arange(box.x, box.right) + 0.5) / self.cell - 0.5 - first_column
        return _interpolated(low.swapaxes(0, 1), across).swapaxes(0, 1)


def _interpolated(values: FloatArray, places: Places) -> FloatArray:
    below = np.floor(places).astype(np.intp)
    share = (places - below).astype(np.float32)[:, None, None]
    return values[below] * (1 - share) + values[below + 1] * share
