"""Separate mode: each tile runs through all its steps alone; finished tiles are joined by feathers.

In row and centre-out order tiles do not know each other. In checkerboard order the second half of
them grows on from its finished neighbours: one round of dependence, never a chain. The pass over the
joins, if wanted, refines bands again on tiles that lie across them.
"""

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import ModelSpec
from enamel.core.errors import Stopped
from enamel.core.files import whole_file
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, FloatArray, Mirrored, SampleArray, filled, to_samples
from enamel.core.schedule import Fit, Order, Refine
from enamel.core.tiling.grid import Grid, Tile, fitting_side, ramp
from enamel.core.tiling.tilework import NeighbourConstraint, Pass, Runner, Task

JOIN_BLOCK = 1024


def network_tile(settings: Refine, spec: ModelSpec, size: Size) -> Size:
    """Return size of the tiles of a pass over a picture of ``size``: as asked for or fitted to it, on the
    network's grid.
    """
    tile = Size(*settings.tile).rounded_up(spec.grid)
    if settings.fit is Fit.EXACT:
        return tile
    sides = zip(size.rounded_up(spec.grid), tile, strict=True)
    return Size(
        *(fitting_side(length, side, settings.overlap_px, spec.grid) for length, side in sides)
    )


def grid_of(settings: Refine, spec: ModelSpec, size: Size) -> Grid:
    """Return the overlapping tiles of a separate pass over a picture of ``size``."""
    padded = size.rounded_up(spec.grid)
    tile = network_tile(settings, spec, size)
    return Grid(padded, tile, settings.overlap_px, spec.grid, settings.feather)


def moved_to_fewest(window: Box, settings: Refine, spec: ModelSpec, size: Size) -> Box:
    """Return a window of a picture of ``size``, moved a little to where fewer tiles have to be made for it.

    It stays where it is when moving saves none. It is moved by at most half of itself each way.
    """
    grid = grid_of(settings, spec, size)
    moved = grid.nearest_with_fewest(window)
    inside = Box.whole(size).contains(moved)
    fewer = len(grid.touching(moved)) < len(grid.touching(window))
    return moved if inside and fewer else window


def rounds(settings: Refine, grid: Grid, region: Box) -> list[list[Tile]]:
    """Return the tiles that the region needs, in the order they come; a round may read the ones before.

    A part of the picture is always made from its middle outwards, so that the place one looks at
    is seen first; the pixels are the same.
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
    lying = LyingAcross.of(settings.joins.width, grid, region)
    return [
        lying.grid.at(column, row)
        for row, on_row in lying.rows.items()
        for column, on_column in lying.columns.items()
        if on_row or on_column
    ]


@dataclass(frozen=True)
class LyingAcross:
    """The tiles of the moved grid that a region needs, by columns and rows; whether a band meets each."""

    grid: Grid
    columns: dict[int, bool]
    rows: dict[int, bool]

    @classmethod
    def of(cls, width: int, grid: Grid, region: Box) -> "LyingAcross":
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
        """How many tiles a band meets."""
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
    """What the first pass has to cover: the region, and what lies under the tiles over the joins."""
    rounds: list[list[Tile]]
    joining: list[Tile]

    @classmethod
    def of(cls, settings: Refine, grid: Grid, region: Box) -> "Tiles":
        joining = join_tiles(settings, grid, region)
        inner = surrounding(joining, region)
        return cls(inner, rounds(settings, grid, inner), joining)


def reach(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    needed = Tiles.of(settings, grid_of(settings, spec, size), region)
    return surrounding([tile for group in needed.rounds for tile in group], needed.inner)


def counted(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> tuple[int, int]:
    """Return how many tiles a pass over the region runs, and how many over the joins after it.

    For the whole picture, which may have very many, they are not walked through.
    """
    grid = grid_of(settings, spec, size)
    if region == Box.whole(size):
        over = LyingAcross.of(settings.joins.width, grid, region).count if settings.joins else 0
        return grid.count, over
    needed = Tiles.of(settings, grid, region)
    return sum(len(group) for group in needed.rounds), len(needed.joining)


def over_joins(settings: Refine) -> Refine:
    """Return settings of the pass over the joins: its own strength, and nothing that changes the start.

    The first pass has given back what was missing.
    """
    assert settings.joins is not None
    return replace(
        settings, strength=settings.joins.strength, joins=None, order=Order.ROWS,
        restore=0.0, extra_noise=0.0, contrast=1.0, chroma=1.0,
    )  # fmt: skip


def refine_separate(work: Pass, runner: Runner, region: Box, folder: Path) -> Canvas:
    """Return the refined pixels of the region, as a canvas in ``folder``."""
    settings, spec = work.settings, work.denoiser.spec
    grid = grid_of(settings, spec, work.size)
    needed = Tiles.of(settings, grid, region)
    runner.total = sum(len(group) for group in needed.rounds) + len(needed.joining)
    tiles = TileFolder(folder / "tiles")
    for group in needed.rounds:
        run_tiles(work, runner, grid, group, tiles)
    if not needed.joining:
        return tiles.joined(grid, region, folder / "refined.npy", work.size)
    first = tiles.joined(grid, needed.inner, folder / "first.npy", work.padded)
    return _over_joins(work, runner, grid, needed.joining, first, region, folder)


def _over_joins(
    work: Pass,
    runner: Runner,
    grid: Grid,
    joining: list[Tile],
    first: Canvas,
    region: Box,
    folder: Path,
) -> Canvas:
    """Return the pass over the joins, laid over the first pass in bands."""
    settings = work.settings
    assert settings.joins is not None
    again = replace(
        work, source=Mirrored(first, work.padded), settings=over_joins(settings), stream=noise.JOIN
    )
    shifted = grid.shifted()
    tiles = TileFolder(folder / "join-tiles")
    run_tiles(again, runner, shifted, joining, tiles)
    known = {tile.index for tile in joining}
    width = settings.joins.width

    def laid_over(block: Box) -> SampleArray:
        below = first.read(block).astype(np.float32)
        above = tiles.summed(shifted, block, known)
        return np.rint(below + (above - below) * band(grid, block, width)).astype(np.uint16)

    canvas = Canvas.create(folder / "refined.npy", region, 3, size=work.size)
    return filled(canvas, laid_over, JOIN_BLOCK)


def run_tiles(
    work: Pass, runner: Runner, grid: Grid, group: list[Tile], tiles: "TileFolder"
) -> None:
    """Compute the tiles of a round that are not there yet; `Stopped` when asked to stop."""
    missing = [tile for tile in group if not tiles.path(tile).exists()]
    runner.done += len(group) - len(missing)
    checkerboard = work.settings.order is Order.CHECKERBOARD
    running: deque[tuple[Tile, str]] = deque()
    left = len(missing)

    def finish(tile: Tile, samples: SampleArray) -> None:
        nonlocal left
        tiles.keep(tile, samples)
        left -= 1
        runner.report(work.size, tile.box, samples)

    def tasks() -> Iterator[Task]:
        """Yield the tasks that have to run; tiles that another run has left are taken on the way."""
        for tile in missing:
            constraint = (
                constrain(grid, tile, tiles) if checkerboard and not is_first(tile) else None
            )
            task = work.task(tile.box, tile.box, 0, len(work.plan), constraint=constraint)
            key = task.key() if runner.store else ""
            known = runner.store.get(key) if runner.store else None
            if known is None:
                running.append((tile, key))
                yield task
            else:
                runner.tasks_taken_over += 1
                finish(tile, known)

    for outcome in runner.outcomes(tasks()):
        tile, key = running.popleft()
        samples = to_samples(outcome.state[0])
        if runner.store:
            runner.store.put(key, samples)
        finish(tile, samples)
    if left:
        raise Stopped


def constrain(grid: Grid, tile: Tile, tiles: "TileFolder") -> NeighbourConstraint:
    """Return the finished neighbours of a tile of the second round, each counting towards its own side."""
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
    """Finished tiles, one file each, whole or not there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, tile: Tile) -> Path:
        return self.folder / f"{tile.index:06d}.npy"

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
