"""Separate mode: each tile runs through all its steps alone; finished tiles are joined by feathers.

In row and centre-out order tiles do not know each other. In checkerboard order the second half of
them grows on from its finished neighbours: one round of dependence, never a chain. The pass over the
joins, if wanted, refines bands again on tiles that lie across them.
"""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Denoiser
from enamel.core.files import whole_file
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, FloatArray, Mirrored, SampleArray, filled
from enamel.core.schedule import Fit, Order, Refine
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.grid import Grid, Tile, fitting_side, ramp
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.tiletask import NeighbourConstraint, TileTask

JOIN_BLOCK = 1024


def network_tile(spec: PassSpec) -> Size:
    """Return the tile size of a pass: as set or fitted to the picture, on the network's grid."""
    settings, grid = spec.settings, spec.model.grid
    tile = Size(*settings.tile).rounded_up(grid)
    if settings.fit is Fit.EXACT:
        return tile
    sides = zip(spec.padded, tile, strict=True)
    return Size(*(fitting_side(length, side, settings.overlap_px, grid) for length, side in sides))


def grid_of(spec: PassSpec) -> Grid:
    """Return the overlapping tiles of a separate pass."""
    settings = spec.settings
    return Grid(
        spec.padded, network_tile(spec), settings.overlap_px, spec.model.grid, settings.feather
    )


def moved_to_fewest(window: Box, spec: PassSpec) -> Box:
    """Return a window moved a little to where fewer tiles touch it.

    It is moved by at most half of its size each way, and only if that saves tiles.
    """
    grid = grid_of(spec)
    moved = grid.nearest_with_fewest(window)
    inside = Box.whole(spec.size).contains(moved)
    fewer = len(grid.touching(moved)) < len(grid.touching(window))
    return moved if inside and fewer else window


def rounds(settings: Refine, grid: Grid, region: Box) -> list[list[Tile]]:
    """Return the tiles that the region needs, in rounds; a round may read the results of earlier ones.

    A part of the picture is always made from its middle outwards, so that what one looks at is ready
    first; the pixels are the same.
    """
    wanted = grid.touching(region)
    part = len(wanted) < grid.count
    if settings.order is Order.CENTRE_OUT or (part and settings.order is Order.ROWS):
        return [sorted(wanted, key=lambda tile: tile.box.distance_squared(region))]
    if settings.order is Order.CHECKERBOARD:
        second = [tile for tile in wanted if not is_first(tile)]
        needed = {tile.index: tile for tile in wanted if is_first(tile)}
        for tile in second:
            needed |= {neighbour.index: neighbour for neighbour in grid.neighbours(tile)}
        return [[needed[index] for index in sorted(needed)], second]
    return [wanted]


def is_first(tile: Tile) -> bool:
    """Return whether a tile belongs to the first round of checkerboard order."""
    return (tile.column + tile.row) % 2 == 0


def join_tiles(settings: Refine, grid: Grid, region: Box) -> list[Tile]:
    """Return tiles of the pass over the joins that the region needs."""
    if settings.joins is None:
        return []
    lying = ShiftedTiles.of(settings.joins.width, grid, region)
    return [
        lying.grid.at(column, row)
        for row, on_row in lying.rows.items()
        for column, on_column in lying.columns.items()
        if on_row or on_column
    ]


@dataclass(frozen=True)
class ShiftedTiles:
    """The tiles of the moved grid that a region needs, by columns and rows; whether a band meets each."""

    grid: Grid
    columns: dict[int, bool]
    rows: dict[int, bool]

    @classmethod
    def of(cls, width: int, grid: Grid, region: Box) -> "ShiftedTiles":
        moved = grid.shifted()
        columns, rows = moved.touching_lines(region)
        vertical, horizontal = grid.joins

        def met(start: int, length: int, limits: tuple[int, int], joins: list[float]) -> bool:
            first, last = max(start, limits[0]), min(start + length, limits[1])
            return bool(along(first, last - first, joins, width).any())

        across, down = (region.x, region.right), (region.y, region.bottom)
        return cls(
            moved,
            {c: met(moved.columns[c], moved.used.width, across, vertical) for c in columns},
            {r: met(moved.rows[r], moved.used.height, down, horizontal) for r in rows},
        )

    @property
    def count(self) -> int:
        """Number of tiles that a band meets."""
        columns, rows = list(self.columns.values()), list(self.rows.values())
        return len(columns) * len(rows) - columns.count(False) * rows.count(False)


def band(grid: Grid, box: Box, width: int) -> FloatArray:
    """(box height, box width, 1) float32: 1 on the joins of a grid, falling to 0 over half the width."""
    vertical, horizontal = grid.joins
    columns = along(box.x, box.width, vertical, width)
    rows = along(box.y, box.height, horizontal, width)
    return (1 - (1 - rows[:, None]) * (1 - columns))[..., None]


def along(start: int, length: int, joins: list[float], width: int) -> FloatArray:
    """Return a band along one side: at each of ``length`` px, 1 on a join, 0 from half the width on."""
    place = np.arange(start, start + length, dtype=np.float32) + np.float32(0.5)
    nearest = np.full(length, np.float32(width))
    near = [join for join in joins if start - width < join < start + length + width]
    for join in near:
        nearest = np.minimum(nearest, np.abs(place - np.float32(join)))
    fraction = np.clip(nearest / np.float32(width / 2), 0, 1)
    return (0.5 + 0.5 * np.cos(np.pi * fraction)).astype(np.float32)


def surrounding(tiles: list[Tile], region: Box) -> Box:
    """Return the smallest box around a region and tiles."""
    for tile in tiles:
        region = region.around(tile.box)
    return region


@dataclass(frozen=True)
class Tiles:
    """The tiles that a region needs: the rounds of the first pass, and those over the joins."""

    inner: Box
    """The part that the first pass has to cover: the region, and everything under the tiles over the
    joins.
    """
    rounds: list[list[Tile]]
    joining: list[Tile]

    @classmethod
    def of(cls, settings: Refine, grid: Grid, region: Box) -> "Tiles":
        joining = join_tiles(settings, grid, region)
        inner = surrounding(joining, region)
        return cls(inner, rounds(settings, grid, inner), joining)


def reach(spec: PassSpec, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    needed = Tiles.of(spec.settings, grid_of(spec), region)
    return surrounding([tile for group in needed.rounds for tile in group], needed.inner)


def counted(spec: PassSpec, region: Box) -> tuple[int, int]:
    """Return how many tiles a pass over the region runs, and how many over the joins after it.

    For the whole picture this is computed without listing them.
    """
    settings, grid = spec.settings, grid_of(spec)
    if region == Box.whole(spec.size):
        over = ShiftedTiles.of(settings.joins.width, grid, region).count if settings.joins else 0
        return grid.count, over
    needed = Tiles.of(settings, grid, region)
    return sum(len(group) for group in needed.rounds), len(needed.joining)


def over_joins(spec: PassSpec) -> PassSpec:
    """Return the pass over the joins: at the joins' strength, without gains or extra noise.

    The first pass has restored the missing detail.
    """
    settings = spec.settings
    assert settings.joins is not None
    again = replace(
        settings, strength=settings.joins.strength, joins=None, order=Order.ROWS,
        restore=0.0, extra_noise=0.0, contrast=1.0, chroma=1.0,
    )  # fmt: skip
    return replace(spec, settings=again, stream=noise.JOIN)


@dataclass
class SeparatePass:
    """One pass in separate mode; ``pictures`` are padded to the network's grid."""

    spec: PassSpec
    denoiser: Denoiser
    pictures: PassPictures
    executor: TileExecutor
    folder: Path

    def refine(self, region: Box) -> Canvas:
        """Return the refined pixels of the region, as a canvas in the folder."""
        grid = grid_of(self.spec)
        needed = Tiles.of(self.spec.settings, grid, region)
        self.executor.total = sum(len(group) for group in needed.rounds) + len(needed.joining)
        tiles = TileFolder(self.folder / "tiles")
        for group in needed.rounds:
            self._run(grid, group, tiles)
        finished = self.folder / "refined.npy"
        if not needed.joining:
            return tiles.joined(grid, region, finished, self.spec.size)
        first = tiles.joined(grid, needed.inner, self.folder / "first.npy", self.spec.padded)
        return self._over_joins(grid, needed.joining, first, region, finished)

    def _over_joins(
        self, grid: Grid, joining: list[Tile], first: Canvas, region: Box, path: Path
    ) -> Canvas:
        """Return the pass over the joins, laid over the first pass in bands."""
        joins = self.spec.settings.joins
        assert joins is not None
        source = Mirrored(first, self.spec.padded)
        again = replace(
            self, spec=over_joins(self.spec), pictures=replace(self.pictures, source=source)
        )
        shifted, known = grid.shifted(), {tile.index for tile in joining}
        tiles = TileFolder(self.folder / "join-tiles")
        again._run(shifted, joining, tiles)

        def laid_over(block: Box) -> SampleArray:
            below = first.read(block).astype(np.float32)
            above = tiles.summed(shifted, block, known)
            merged = below + (above - below) * band(grid, block, joins.width)
            return np.rint(merged).astype(np.uint16)

        canvas = Canvas.create(path, region, 3, size=self.spec.size)
        return filled(canvas, laid_over, JOIN_BLOCK)

    def _run(self, grid: Grid, group: list[Tile], tiles: "TileFolder") -> None:
        """Compute the tiles of a round that are not finished yet."""
        checkerboard = self.spec.settings.order is Order.CHECKERBOARD

        def task(tile: Tile) -> TileTask:
            second = checkerboard and not is_first(tile)
            constraint = constrain(grid, tile, tiles) if second else None
            return TileTask.whole(self.spec, self.denoiser, self.pictures, tile.box, constraint)

        self.executor.run(
            group, tiles.has, task, lambda tile, result: tiles.keep(tile, result.preview),
            self.spec.size, shared=True,
        )  # fmt: skip


def constrain(grid: Grid, tile: Tile, tiles: "TileFolder") -> NeighbourConstraint:
    """Return the finished neighbours of a tile of the second round, each weighted towards its own side."""
    box = tile.box
    total = np.zeros((box.height, box.width, 3), np.float32)
    weights = np.zeros((box.height, box.width, 1), np.float32)
    free = np.ones((box.height, box.width, 1), np.float32)
    for neighbour in grid.neighbours(tile):
        common = neighbour.box.intersection(box)
        inside = common.relative_to(box).slices
        if neighbour.row == tile.row:
            fall = ramp(common.width)[None, :, None]
            mask = fall[:, ::-1] if neighbour.column < tile.column else fall
        else:
            fall = ramp(common.height)[:, None, None]
            mask = fall[::-1] if neighbour.row < tile.row else fall
        samples = tiles.read(neighbour)[common.relative_to(neighbour.box).slices]
        total[inside] += samples * mask
        weights[inside] += mask
        free[inside] *= 1 - mask
    known = np.divide(total, weights, out=np.zeros_like(total), where=weights > 0)
    return NeighbourConstraint(np.rint(known).astype(np.uint16), 1 - free)


class TileFolder:
    """Finished tiles, one file each, written atomically."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, tile: Tile) -> Path:
        return self.folder / f"{tile.index:06d}.npy"

    def has(self, tile: Tile) -> bool:
        return self.path(tile).exists()

    def read(self, tile: Tile) -> SampleArray:
        return np.load(self.path(tile), mmap_mode="r")

    def keep(self, tile: Tile, samples: SampleArray | FloatArray) -> None:
        with whole_file(self.path(tile)) as partial, partial.open("wb") as file:
            np.save(file, samples)

    def summed(
        self, grid: Grid, block: Box, known: set[int] | None = None, channels: int = 3
    ) -> FloatArray:
        """Feathered sum of the finished tiles over a block, in the order of their index."""
        total = np.zeros((block.height, block.width, channels), np.float32)
        for tile in grid.touching(block):
            if known is not None and tile.index not in known:
                continue
            part = tile.box.intersection(block)
            inside = part.relative_to(tile.box).slices
            samples = self.read(tile)[inside]
            total[part.relative_to(block).slices] += samples * grid.weight(tile)[inside]
        return total

    def joined(self, grid: Grid, region: Box, path: Path, size: Size) -> Canvas:
        """Return the region as a canvas, block by block."""

        def joined(block: Box) -> SampleArray:
            return np.rint(self.summed(grid, block)).astype(np.uint16)

        return filled(Canvas.create(path, region, 3, size=size), joined, JOIN_BLOCK)
