"""Joint mode: the whole picture takes each step together, tile by tile, before the next step.

A tile is read with a margin of the network's receptive radius and only its core is kept, so that the
result is what the network would give for the whole picture at once, whatever the tiles.
"""

from pathlib import Path

from enamel.core.diffusion.denoiser import ModelSpec
from enamel.core.errors import Stopped
from enamel.core.files import PARTIAL, put_in_place
from enamel.core.geometry import Box, Size, cells
from enamel.core.imaging.canvas import Canvas, to_samples
from enamel.core.schedule import Fit, Refine
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tilework import Pass, Runner, plan

LARGEST_CORE = 1024
"""Longest side in px of a core where none is asked for."""


def margin_of(spec: ModelSpec) -> int:
    """Return what a tile is read with on each side: the receptive radius, rounded up to the grid."""
    assert spec.radius is not None, f"{spec.name} looks at whole tiles; `blended` is for those"
    return -(-spec.radius // spec.grid) * spec.grid


def regions_of(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> list[Box]:
    """For each evaluation, the part of the picture it must cover for the region to be exact.

    The last covers the region; each earlier one the receptive radius more on every side.
    """
    whole = Box.whole(size.rounded_up(spec.grid))
    margin = margin_of(spec)
    count = len(plan(settings, spec))
    snapped = region.snapped_out(spec.grid).intersection(whole)
    return [snapped.grown(margin * (count - 1 - n)).intersection(whole) for n in range(count)]


def core_tile(settings: Refine, spec: ModelSpec, size: Size) -> Size:
    """Return what of the picture is computed at once: the tile asked for, or what costs least.

    The result does not depend on it, but for words of parts, which go by tiles: with those the tile is
    the one asked for.
    """
    tile = Size(*settings.tile).rounded_up(spec.grid)
    if settings.fit is Fit.EXACT or settings.regions:
        return tile
    width, height = (_even(side, spec.grid) for side in size)
    return Size(width, height)


def _even(length: int, grid: int) -> int:
    """Side of the fewest equal parts of a length, each at most `LARGEST_CORE` px."""
    count = -(-length // LARGEST_CORE)
    return -(-length // (count * grid)) * grid


def cores_of(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> list[Box]:
    """Return the parts a region is computed in: cut along the picture's own grid of tiles, so that words
    for parts of the picture reach the same pixels in a window as in the whole.
    """
    tile = core_tile(settings, spec, size)
    return cells(region, tile.width, tile.height)


def reach(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    whole = Box.whole(size.rounded_up(spec.grid))
    first = regions_of(settings, spec, size, region)[0]
    return first.grown(margin_of(spec)).intersection(whole)


def counted(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> tuple[int, float]:
    """Return how many cores a pass over the region computes, over all evaluations, and how many megapixels
    the network sees for them. They are counted by rows and columns, not walked through.
    """
    whole = Size(*size).rounded_up(spec.grid)
    tile, margin = core_tile(settings, spec, size), margin_of(spec)
    cores, seen = 0, 0
    for part in regions_of(settings, spec, size, region):
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


def refine_joint(work: Pass, runner: Runner, region: Box, folder: Path) -> Canvas:
    """Return the refined pixels of the region, as a canvas in ``folder``."""
    return _Joint(work, runner, folder, region).run()


class _Joint:
    def __init__(self, work: Pass, runner: Runner, folder: Path, region: Box) -> None:
        self.work = work
        self.runner = runner
        self.folder = folder
        settings, spec = work.settings, work.denoiser.spec
        self.regions = regions_of(settings, spec, work.size, region)
        self.cores = [cores_of(settings, spec, work.size, part) for part in self.regions]
        self.margin = margin_of(spec)

    def run(self) -> Canvas:
        self.runner.total = sum(len(cores) for cores in self.cores)
        state: StateCanvas | None = None
        first = 0
        for number in range(len(self.regions) - 1, 0, -1):
            if self._state_file(number).exists():
                first = number
                state = StateCanvas(self._state_file(number), self.regions[number - 1])
                break
        self.runner.done = sum(len(cores) for cores in self.cores[:first])
        for number in range(first, len(self.regions)):
            finished = self._evaluation(number, state)
            if state is not None:
                state.close()
                state.path.unlink()
            if number + 1 < len(self.regions):
                state = StateCanvas(finished, self.regions[number])
        region = self.regions[-1]
        return Canvas(finished, (region.x, region.y), self.work.size)

    def _evaluation(self, number: int, state: StateCanvas | None) -> Path:
        """Write one evaluation of its region, core by core, as the next state or as the last pixels."""
        work, region = self.work, self.regions[number]
        last = number + 1 == len(self.regions)
        finished = self.folder / "refined.npy" if last else self._state_file(number + 1)
        partial = finished.with_suffix(PARTIAL)
        journal = Journal(finished.with_suffix(".journal"))
        if not (partial.exists() and journal.path.exists()):
            if last:
                Canvas.create(partial, region, 3).close()
            else:
                fields = work.plan[number].fields_out
                StateCanvas.create(partial, region, fields, 3).close()
            journal.begin()
        canvas: Canvas | StateCanvas
        canvas = Canvas(partial, (region.x, region.y)) if last else StateCanvas(partial, region)
        kept = journal.entries()
        missing = [(i, core) for i, core in enumerate(self.cores[number]) if i not in kept]
        self.runner.done += len(kept)
        whole = Box.whole(work.padded)
        tasks = (
            work.task(core.grown(self.margin).intersection(whole), core, number, number + 1, state)
            for _, core in missing
        )
        left = len(missing)
        for (index, core), outcome in zip(missing, self.runner.outcomes(tasks), strict=False):
            if isinstance(canvas, Canvas):
                canvas.write(core, to_samples(outcome.state[0]))
            else:
                canvas.write(core, outcome.state)
            canvas.settle()  # before the journal says that the core is there
            journal.add(index)
            left -= 1
            self.runner.report(work.size, core, outcome.denoised)
        if left:
            raise Stopped
        put_in_place(partial, finished)
        journal.path.unlink()
        canvas.close()
        return finished

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
