"""Cut a picture into tiles, and join finished tiles."""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray

STRETCH = 1.2
"""How much longer than requested a tile's side may become, so that fewer tiles cover the picture."""


def fitting_side(length: int, tile: int, overlap: int, snap: int) -> int:
    """Side of the fewest tiles that cover a length, overlapping no more than asked for.

    It is at most `STRETCH` times the side asked for. All in px; tile and length are multiples of ``snap``,
    and so is the result.

    Examples
    --------
    >>> fitting_side(2016, 512, 64, 8), fitting_side(1344, 512, 64, 8)
    (552, 496)
    """
    overlap = _rounded_up(overlap, snap)
    longest = int(STRETCH * tile) // snap * snap
    if length <= longest:
        return length
    count = -(-(length - overlap) // (longest - overlap))
    side = _rounded_up(-(-(length + (count - 1) * overlap) // count), snap)
    return max(side, 2 * overlap)


def _rounded_up(value: int, snap: int) -> int:
    return -(-value // snap) * snap


@dataclass(frozen=True, slots=True)
class Tile:
    """One tile of a grid. ``box`` is on the padded picture."""

    index: int
    column: int
    row: int
    box: Box


@dataclass(frozen=True)
class Grid:
    """Overlapping tiles over a picture of ``size``, anchored at its corners.

    Tiles all have the same size and are spread evenly, so that the overlap is at least the one
    asked for and no narrow tile is left at an edge. Origins lie on multiples of ``snap``, as far
    as size and tile are multiples of it.

    Parameters
    ----------
    size : picture in px.
    tile : tile in px; cut to the picture where that is smaller.
    overlap : least overlap of neighbours in px, at most half the shorter side of the tile.
    snap : grid of the origins in px.
    feather : width of the soft join as a fraction of the overlap, 0 to 1.
    """

    size: Size
    tile: Size
    overlap: int
    snap: int = 1
    feather: float = 1.0

    @cached_property
    def columns(self) -> list[int]:
        return _origins(self.size.width, self.tile.width, self.overlap, self.snap)

    @cached_property
    def rows(self) -> list[int]:
        return _origins(self.size.height, self.tile.height, self.overlap, self.snap)

    @property
    def used(self) -> Size:
        """Actual size of the tiles: cut to the picture where that is smaller."""
        return Size(*map(min, self.tile, self.size))

    @property
    def count(self) -> int:
        """How many tiles there are."""
        return len(self.columns) * len(self.rows)

    def at(self, column: int, row: int) -> Tile:
        """Return the tile of a column and a row, both from 0; its index counts row by row."""
        box = Box(self.columns[column], self.rows[row], *self.used)
        return Tile(row * len(self.columns) + column, column, row, box)

    @cached_property
    def tiles(self) -> list[Tile]:
        """All tiles by index."""
        return self.touching(Box.whole(self.size))

    def touching(self, region: Box) -> list[Tile]:
        """Return the tiles that give at least a pixel to the region, by index."""
        columns, rows = self.touching_lines(region)
        return [self.at(column, row) for row in rows for column in columns]

    def touching_lines(self, region: Box) -> tuple[range, range]:
        """Return columns and rows of the tiles that give at least a pixel to the region."""
        if region.empty:
            return range(0), range(0)
        return (
            _meeting(self.columns, self.used.width, region.x, region.right),
            _meeting(self.rows, self.used.height, region.y, region.bottom),
        )

    def nearest_with_fewest(self, window: Box) -> Box:
        """Return the window moved, by at most half of itself each way, to where the fewest tiles touch it.

        Of the places with equally few tiles it is the one nearest to where the window is.
        """
        x = _with_fewest(self.columns, self.tile.width, self.size.width, window.x, window.width)
        y = _with_fewest(self.rows, self.tile.height, self.size.height, window.y, window.height)
        return Box(x, y, window.width, window.height)

    def weight(self, tile: Tile) -> FloatArray:
        """Return the tile's weights in the joined picture, (tile height, tile width, 1) float32.

        The weights of all tiles over a pixel sum to 1; where only one tile lies, it is exactly 1.
        """
        return (self._rows_weight[tile.row][:, None] * self._columns_weight[tile.column])[..., None]

    @cached_property
    def _columns_weight(self) -> list[FloatArray]:
        return _fractions(self.columns, self.used.width, self.size.width, self.feather)

    def covered(self, block: Box, known: set[int]) -> FloatArray:
        """Return the sum of some tiles' weights over a block, (block height, block width, 1) float32."""
        total = np.zeros((block.height, block.width, 1), np.float32)
        for tile in self.touching(block):
            if tile.index in known:
                part = tile.box.intersection(block)
                weight = self.weight(tile)[part.relative_to(tile.box).slices]
                total[part.relative_to(block).slices] += weight
        return total

    @cached_property
    def _rows_weight(self) -> list[FloatArray]:
        return _fractions(self.rows, self.used.height, self.size.height, self.feather)

    def neighbours(self, tile: Tile) -> list[Tile]:
        """Return the tiles left, right, above and below."""
        places = [
            (tile.column + dx, tile.row + dy) for dx, dy in ((-1, 0), (1, 0), (0, -1), (0, 1))
        ]
        return [
            self.at(column, row)
            for column, row in places
            if 0 <= column < len(self.columns) and 0 <= row < len(self.rows)
        ]

    @property
    def joins(self) -> tuple[list[float], list[float]]:
        """Where tiles are joined: x of each vertical join, y of each horizontal one, in px."""
        return (
            [(after + before + self.tile.width) / 2 for before, after in pairwise(self.columns)],
            [(after + before + self.tile.height) / 2 for before, after in pairwise(self.rows)],
        )

    def shifted(self) -> "Grid":
        """Return a grid of the same tiles that lie across this one's joins."""
        return ShiftedGrid(self.size, self.tile, self.overlap, self.snap)


class ShiftedGrid(Grid):
    """Tiles moved by half their distance, and those at the edges kept."""

    @cached_property
    def columns(self) -> list[int]:
        return _between(super().columns, self.snap)

    @cached_property
    def rows(self) -> list[int]:
        return _between(super().rows, self.snap)


def _between(origins: list[int], snap: int) -> list[int]:
    middles = [(before + after) // 2 // snap * snap for before, after in pairwise(origins)]
    return sorted({origins[0], *middles, origins[-1]})


def ramp(length: int) -> FloatArray:
    """Rising half of a raised cosine over ``length`` px; with its mirror image it sums to 1."""
    places = (np.arange(length) + 0.5) / max(length, 1)
    return (0.5 - 0.5 * np.cos(np.pi * places)).astype(np.float32)


def _origins(length: int, tile: int, overlap: int, snap: int) -> list[int]:
    if length <= tile:
        return [0]
    overlap = _rounded_up(overlap, snap)  # so that snapping never makes it less than requested
    count = -(-(length - overlap) // (tile - overlap))
    span = length - tile
    inner = [span * number // (count - 1) // snap * snap for number in range(count - 1)]
    return [*inner, span]


def _with_fewest(origins: list[int], tile: int, length: int, start: int, span: int) -> int:
    lowest, highest = max(0, start - span // 2), min(length - span, start + span // 2)

    def cost(place: int) -> tuple[int, int]:
        touching = sum(place - tile < origin < place + span for origin in origins)
        return touching, abs(place - start)

    return min(range(lowest, highest + 1), key=cost, default=start)


def _meeting(origins: list[int], tile: int, start: int, stop: int) -> range:
    """Return which of the tiles along a side, their origins rising, meet start…stop."""
    return range(bisect_right(origins, start - tile), bisect_left(origins, stop))


def soft_edge(overlap: int, feather: float) -> FloatArray:
    """Return weight over an overlap: 0, then a ramp of that share of it in its middle, then 1."""
    soft = round(overlap * feather)
    edge = np.ones(overlap, np.float32)
    start = (overlap - soft) // 2
    edge[:start] = 0
    edge[start : start + soft] = ramp(soft)
    return edge


def _fractions(origins: list[int], tile: int, length: int, feather: float) -> list[FloatArray]:
    """Return weight along one side for each row or column of tiles, summing to 1 at every pixel."""
    total = np.zeros(length, np.float32)
    raw: list[FloatArray] = []
    for number, origin in enumerate(origins):
        weight = np.ones(tile, np.float32)
        if number > 0:
            overlap = origins[number - 1] + tile - origin
            weight[:overlap] *= soft_edge(overlap, feather)
        if number + 1 < len(origins):
            overlap = origin + tile - origins[number + 1]
            weight[tile - overlap :] *= 1 - soft_edge(overlap, feather)
        raw.append(weight)
        total[origin : origin + tile] += weight
    return [weight / total[o : o + tile] for weight, o in zip(raw, origins, strict=True)]
