"""Colour anchoring: the low frequencies of a refined picture are led back to those of its source.

refined + amount · (low(source) − low(refined)), where low is a Gaussian blur. The blur runs over means
of square cells anchored at the picture's origin, and is interpolated between their centres: cheap at
any radius, and the same bits in any window.
"""

import math

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture, SampleArray, mirrored_index
from enamel.core.imaging.cells import Places, between_cells, cell_means, cells_of
from enamel.core.imaging.soften import gaussian_taps, weighted
from enamel.core.tiling.protect import Fractions


def cell_of(radius: int) -> int:
    """Side of the cells in px for a blur of that standard deviation."""
    return max(1, radius // 4)


def margin(radius: int) -> int:
    """Return how far around a pixel anchoring looks, in px."""
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
        fractions: Fractions | None = None,
    ) -> None:
        self.fractions = fractions
        self.size = refined.size
        self.refined = refined
        self.source = source
        self.amount = np.float32(amount)
        self.cell = cell_of(radius)
        self.taps = gaussian_taps(radius / self.cell)
        self.cells = cells_of(self.size, self.cell)

    def read(self, box: Box) -> SampleArray:
        cell = self.cell
        # cells whose centres lie around the box, and as many more as the blur reaches
        columns = np.arange(box.x // cell - 1, (box.right - 1) // cell + 2)
        rows = np.arange(box.y // cell - 1, (box.bottom - 1) // cell + 2)
        low = self._blurred(rows, columns)
        shift = between_cells(low, box, cell, rows[0], columns[0])
        if self.fractions is not None:
            shift = shift * self.fractions.read(box)
        samples = self.refined.read(box) + self.amount * shift
        return np.clip(np.rint(samples), 0, WHITE).astype(np.uint16)

    def _blurred(self, rows: Places, columns: Places) -> FloatArray:
        """Blurred difference of cell means at the given cells, those beyond the edge mirrored."""
        reach = len(self.taps) // 2
        down = mirrored_index(rows[0] - reach, rows[-1] + reach + 1, self.cells.height)
        across = mirrored_index(columns[0] - reach, columns[-1] + reach + 1, self.cells.width)
        top, left = int(down.min()), int(across.min())
        known = Box.between(left, top, int(across.max()) + 1, int(down.max()) + 1)
        difference = cell_means(self.source, self.cell, known)
        difference -= cell_means(self.refined, self.cell, known)
        tall = weighted(difference[down - top], self.taps)
        wide = weighted(tall[:, across - left].swapaxes(0, 1), self.taps)
        return wide.swapaxes(0, 1)
