"""Joint mode: the whole picture takes each step together, tile by tile, before the next step.

A tile is read with a margin of the network's receptive radius and only its core is kept, so that the
result is what the network would give for the whole picture at once, whatever the tiles.
"""

from dataclasses import dataclass
from pathlib import Path

from enamel.core.diffusion.denoiser import Denoiser, ModelSpec
from enamel.core.files import PARTIAL, put_in_place
from enamel.core.geometry import Box, Size, cells
from enamel.core.imaging.canvas import Canvas
from enamel.core.schedule import Fit
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tiletask import TileResult, TileTask

LARGEST_CORE = 1024
"""Longest side in px of a core where no tile size is set."""


def margin_of(model: ModelSpec) -> int:
    """Return a tile's margin on each side: the receptive radius, rounded up to the grid."""
    assert model.radius is not None, f"{model.name} looks at whole tiles; `blended` is for those"
    return -(-model.radius // model.grid) * model.grid


def regions_of(spec: PassSpec, region: Box) -> list[Box]:
    """Return, for each evaluation, the part of the picture it must cover for the region to be exact.

    The last covers the region; each earlier one the receptive radius more on every side.
    """
    margin, count = margin_of(spec.model), len(spec.plan)
    snapped = region.snapped_out(spec.model.grid).intersection(spec.whole)
    return [snapped.grown(margin * (count - 1 - n)).intersection(spec.whole) for n in range(count)]


def core_tile(spec: PassSpec) -> Size:
    """Return the size of the parts that are computed at once: the tile size that is set, or what costs least.

    The result does not depend on it, unless parts have prompts, which are assigned by tile; then the tile
    size that is set is used.
    """
    settings, grid = spec.settings, spec.model.grid
    if settings.fit is Fit.EXACT or settings.regions:
        return Size(*settings.tile).rounded_up(grid)
    width, height = (_even(side, grid) for side in spec.size)
    return Size(width, height)


def _even(length: int, grid: int) -> int:
    """Side of the fewest equal parts of a length, each at most `LARGEST_CORE` px."""
    count = -(-length // LARGEST_CORE)
    return -(-length // (count * grid)) * grid


def cores_of(spec: PassSpec, region: Box) -> list[Box]:
    """Return the parts a region is computed in: cut along the picture's own grid of tiles, so that words
    for parts of the picture reach the same pixels in a window as in the whole.
    """
    tile = core_tile(spec)
    return cells(region, tile.width, tile.height)


def reach(spec: PassSpec, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    return regions_of(spec, region)[0].grown(margin_of(spec.model)).intersection(spec.whole)


def counted(spec: PassSpec, region: Box) -> tuple[int, float]:
    """Return how many cores a pass over the region computes, over all evaluations, and how many megapixels
    the network sees for them. They are counted by rows and columns, not walked through.
    """
    whole, tile, margin = spec.padded, core_tile(spec), margin_of(spec.model)
    cores, seen = 0, 0
    for part in regions_of(spec, region):
        columns = _along(part.x, part.right, tile.width, margin, whole.width)
        rows = _along(part.y, part.bottom, tile.height, margin, whole.height)
        cores += len(columns) * len(rows)
        seen += sum(columns) * sum(rows)
    return cores, seen / 1e6


def _along(start: int, stop: int, tile: int, margin: int, limit: int) -> list[int]:
    """Return how far each core along a side reads, in px."""
    cuts = [start, *range(start // tile * tile + tile, stop, tile), stop]
    return [
        min(limit, last + margin) - max(0, first - margin)
        for first, last in zip(cuts[:-1], cuts[1:], strict=True)
    ]


@dataclass
class JointPass:
    """One pass in joint mode; ``pictures`` are padded to the network's grid."""

    spec: PassSpec
    denoiser: Denoiser
    pictures: PassPictures
    executor: TileExecutor
    folder: Path

    def refine(self, region: Box) -> Canvas:
        """Return the refined pixels of the region, as a canvas in the folder."""
        regions = regions_of(self.spec, region)
        cores = [cores_of(self.spec, part) for part in regions]
        self.executor.total = sum(len(one) for one in cores)
        numbers = range(len(regions) - 1, 0, -1)
        first = next((n for n in numbers if self._state_file(n).exists()), 0)
        state = StateCanvas(self._state_file(first), regions[first - 1]) if first else None
        self.executor.done = sum(len(one) for one in cores[:first])
        finished = self.folder / "refined.npy"
        for number in range(first, len(regions)):
            last = number + 1 == len(regions)
            path = finished if last else self._state_file(number + 1)
            self._step(number, regions[number], cores[number], state, path, last)
            if state is not None:
                state.close()
                state.path.unlink()
            state = None if last else StateCanvas(path, regions[number])
        return Canvas(finished, (regions[-1].x, regions[-1].y), self.spec.size)

    def _step(
        self,
        number: int,
        region: Box,
        cores: list[Box],
        state: StateCanvas | None,
        finished: Path,
        last: bool,
    ) -> None:
        """Write one step of its region, core by core, as the next state or as the last pixels."""
        partial = finished.with_suffix(PARTIAL)
        journal = Journal(finished.with_suffix(".journal"))
        if not (partial.exists() and journal.path.exists()):
            if last:
                Canvas.create(partial, region, 3).close()
            else:
                fields = self.spec.plan[number].fields_out
                StateCanvas.create(partial, region, fields, 3).close()
            journal.begin()
        canvas: Canvas | StateCanvas
        canvas = Canvas(partial, (region.x, region.y)) if last else StateCanvas(partial, region)
        kept, margin = journal.entries(), margin_of(self.spec.model)

        def task(place: tuple[int, Box]) -> TileTask:
            core = place[1]
            box = core.grown(margin).intersection(self.spec.whole)
            return TileTask.step(self.spec, self.denoiser, self.pictures, box, core, number, state)

        def keep(place: tuple[int, Box], result: TileResult) -> None:
            index, core = place
            if isinstance(canvas, Canvas):
                canvas.write(core, result.preview)
            else:
                canvas.write(core, result.state)
            canvas.settle()  # before the journal says that the core is finished
            journal.add(index)

        self.executor.run(
            list(enumerate(cores)), lambda place: place[0] in kept, task, keep, self.spec.size
        )
        put_in_place(partial, finished)
        journal.path.unlink()
        canvas.close()

    def _state_file(self, number: int) -> Path:
        return self.folder / f"state-{number:03d}.npy"


class Journal:
    """Which cores of a running evaluation are finished: one line each, appended once it is written."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def begin(self) -> None:
        self.path.write_text("")

    def add(self, index: int) -> None:
        with self.path.open("a") as file:
            file.write(f"{index}\n")

    def entries(self) -> set[int]:
        lines = self.path.read_text().splitlines(keepends=True)
        return {int(line) for line in lines if line.endswith("\n")}
