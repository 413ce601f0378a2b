"""Means over square cells: cheap for large radii, and the same bits in any window."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.canvas import FloatArray, Picture

Places = NDArray[Any]


def cells_of(size: Size, cell: int) -> Size:
    """Return the numbers of columns and rows of cells that cover a picture; the last ones may be cut."""
    return Size(-(-size.width // cell), -(-size.height // cell))


def cell_means(picture: Picture, cell: int, cells: Box) -> FloatArray:
    """Return mean of each of the cells, (rows, columns, channels), exact: sums of whole numbers.

    A row of cells is read at a time, so that memory does not grow with the picture.
    """
    region = Box(cells.x * cell, cells.y * cell, cells.width * cell, cells.height * cell)
    region = region.intersection(Box.whole(picture.size))
    at_columns = np.arange(0, region.width, cell)
    widths = np.diff([*at_columns, region.width])[:, None]
    means = np.empty((cells.height, len(at_columns), picture.channels), np.float32)
    for number, row in enumerate(blocks(region, region.width, cell)):
        samples = picture.read(row)
        sums = np.add.reduceat(samples.sum(axis=0, dtype=np.int64), at_columns, axis=0)
        means[number] = sums / (row.height * widths)
    return means


def between_cells(
    values: FloatArray, box: Box, cell: int, first_row: int = 0, first_column: int = 0
) -> FloatArray:
    """Linear interpolation between the cells' centres, at the box's pixels.

    Parameters
    ----------
    values : (rows, columns) or (rows, columns, channels), at least one cell more than the box on each side.
    box : in px of the picture.
    cell : side of a cell in px.
    first_row, first_column : the cell that ``values`` begin with.
    """
    down = (np.arange(box.y, box.bottom) + 0.5) / cell - 0.5 - first_row
    across = (np.arange(box.x, box.right) + 0.5) / cell - 0.5 - first_column
    return _interpolated(_interpolated(values, down).swapaxes(0, 1), across).swapaxes(0, 1)


def _interpolated(values: FloatArray, places: Places) -> FloatArray:
    below = np.floor(places).astype(np.intp)
    weight = (places - below).astype(np.float32).reshape(-1, *[1] * (values.ndim - 1))
    return values[below] * (1 - weight) + values[below + 1] * weight
