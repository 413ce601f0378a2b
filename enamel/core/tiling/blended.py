"""Joint mode for networks that look at a whole tile: at each step the estimates of overlapping tiles are
blended by feathered weights before the next step, so that tiles grow together and not apart.

A latent network's picture is brought into its space once, and back once, in tiles of their own: where
those ways look only so far, tiles overlap by that much and are cut in the middle, which gives what the
whole picture would give; where they look at everything, tiles are blended.

A part of the picture is made from the tiles that reach it, and those alone: what lies beyond them would
have reached it too, by a little more with each step, so a window is near the whole and not the same.
"""

import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Denoiser, Holding, ModelSpec, Words
from enamel.core.diffusion.samplers import State
from enamel.core.errors import Stopped
from enamel.core.files import put_in_place
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import (
    Canvas,
    FloatArray,
    SampleArray,
    filled,
    to_samples,
    to_signed,
)
from enamel.core.schedule import Refine
from enamel.core.tiling.grid import Grid, Tile
from enamel.core.tiling.protect import Protected, at_last, next_lower
from enamel.core.tiling.separate import JOIN_BLOCK, TileFolder, network_tile, surrounding
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tilework import (
    GuidedDenoiser,
    Outcome,
    Pass,
    Runner,
    begun_at,
    noise_at,
    plan,
    signal_of,
)

TaskOf = Callable[[Tile], Callable[[], Outcome]]
CODED = 512
"""Least side in px of the tiles that a picture is brought into a network's space in."""


@dataclass(frozen=True)
class Cut:
    """What a region needs: tiles that estimate, and tiles of the ways there and back. All in cells."""

    spec: ModelSpec
    estimating: Grid
    coding: Grid
    region: Box
    """What the tiles of the steps cover."""
    decoded: list[Tile]
    tiles: list[Tile]
    encoded: list[Tile]

    @classmethod
    def of(cls, settings: Refine, spec: ModelSpec, size: Size, region: Box) -> "Cut":
        """For a region in px of a picture of ``size``."""
        space, snap = spec.space, spec.grid // spec.space.factor
        whole = space.size(size.rounded_up(spec.grid))
        tile = space.size(network_tile(settings, spec, size))
        overlap = -(-settings.overlap_px // space.factor)
        estimating = Grid(whole, tile, overlap, snap, settings.feather)
        coding = _coding(spec, whole)
        decoded = coding.touching(space.box(region).intersection(Box.whole(whole)))
        tiles = estimating.touching(surrounding(decoded[1:], decoded[0].box))
        covered = surrounding(tiles[1:], tiles[0].box)
        return cls(spec, estimating, coding, covered, decoded, tiles, coding.touching(covered))


def _coding(spec: ModelSpec, whole: Size) -> Grid:
    """Return the tiles of the ways there and back: cut where these look only so far, else blended."""
    factor, snap = spec.space.factor, spec.grid // spec.space.factor
    side = -(-max(CODED, spec.native_tile) // spec.grid) * snap
    radius = spec.space.coding_radius
    if radius is None:
        return Grid(whole, Size(side, side), side // 4, snap, 1.0)
    overlap = 2 * (-(-radius // (factor * snap)) * snap)
    side = max(side, 4 * overlap)
    return Grid(whole, Size(side, side), overlap, snap, 0.0)


def reach(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    cut = Cut.of(settings, spec, size, region)
    return spec.space.pixels(surrounding(cut.encoded, cut.region))


def counted(settings: Refine, spec: ModelSpec, size: Size, region: Box) -> tuple[int, int, float]:
    """Return tiles, pieces of work, and megapixels that the network sees in all evaluations."""
    cut = Cut.of(settings, spec, size, region)
    steps = len(plan(settings, spec))
    tasks = len(cut.encoded) + steps * len(cut.tiles) + len(cut.decoded)
    seen = spec.space.pixels(Box.whole(cut.estimating.used)).area / 1e6
    return len(cut.tiles), tasks, seen * len(cut.tiles) * steps


def refine_blended(work: Pass, runner: Runner, region: Box, folder: Path) -> Canvas:
    """Return the refined pixels of the region, as a canvas in ``folder``."""
    return _Blended(work, runner, region, folder).run()


class _Blended:
    def __init__(self, work: Pass, runner: Runner, region: Box, folder: Path) -> None:
        self.work = work
        self.runner = runner
        self.region = region
        self.folder = folder
        self.spec = work.denoiser.spec
        self.space = self.spec.space
        self.cut = Cut.of(work.settings, self.spec, work.size, region)
        self.sigmas = [sampler_step.sigma for sampler_step in work.plan] + [0.0]

    def run(self) -> Canvas:
        steps = len(self.work.plan)
        cut = self.cut
        self.runner.total = len(cut.encoded) + steps * len(cut.tiles) + len(cut.decoded)
        first = next((n for n in range(steps, -1, -1) if self._state_file(n).exists()), None)
        if first is None:
            self._begin()
            first = 0
        else:
            self.runner.done = len(cut.encoded) + first * len(cut.tiles)
        for number in range(first, steps):
            self._evaluation(number)
        return self._back()

    def _begin(self) -> None:
        """The picture in the network's space, with the noise of its first level."""
        tiles = TileFolder(self.folder / "encoded")
        self._carry_out(
            self.cut.encoded, tiles, lambda tile: Encoding.of(self.work, self._px(tile))
        )

        def noised(block: Box) -> State:
            values = tiles.summed(self.cut.coding, block, channels=self.space.channels)
            values += self._noise(self.work.stream, block) * np.float32(self.sigmas[0])
            return (self._protected(block, values, 0),)

        self._keep_state(0, 1, noised)

    def _evaluation(self, number: int) -> None:
        """One evaluation of all tiles, blended, and the step after it."""
        sampler_step = self.work.plan[number]
        tiles = TileFolder(self.folder / f"denoised-{number:03d}")
        with self._state(number) as state:

            def task(tile: Tile) -> Estimating:
                return Estimating.of(self.work, number, self._px(tile), state.read(tile.box))

            self._carry_out(self.cut.tiles, tiles, task)

            def stepped(block: Box) -> State:
                denoised = self._blended(tiles, block)
                after = sampler_step.step(
                    state.read_all(block),
                    denoised,
                    lambda step: self._noise(noise.STEP + step, block),
                )
                protected = self._protected(block, after[0], number + 1)
                return protected, *after[1:]

            self._keep_state(number + 1, sampler_step.fields_out, stepped)
        shutil.rmtree(tiles.folder)
        self._state_file(number).unlink()

    def _back(self) -> Canvas:
        """Return the last state as pixels of the region."""
        tiles = TileFolder(self.folder / "decoded")
        with self._state(len(self.work.plan)) as state:
            self._carry_out(
                self.cut.decoded,
                tiles,
                lambda tile: Decoding(self.work.denoiser, self._px(tile), state.read(tile.box)),
            )
        f = self.space.factor
        coding = self.cut.coding
        in_px = Grid(
            self.work.padded, Size(coding.tile.width * f, coding.tile.height * f),
            coding.overlap * f, self.spec.grid, coding.feather,
        )  # fmt: skip

        def joined(block: Box) -> SampleArray:
            pixels = np.rint(tiles.summed(in_px, block)).astype(np.uint16)
            return self._untouched(block, pixels)

        path = self.folder / "refined.npy"
        return filled(Canvas.create(path, self.region, 3, size=self.work.size), joined, JOIN_BLOCK)

    def _carry_out(self, wanted: list[Tile], tiles: TileFolder, task: TaskOf) -> None:
        """Do the work on the tiles that are not there yet; `Stopped` when asked to stop."""
        missing = [tile for tile in wanted if not tiles.path(tile).exists()]
        self.runner.done += len(wanted) - len(missing)
        left = len(missing)
        outcomes = self.runner.outcomes(task(tile) for tile in missing)
        for tile, outcome in zip(missing, outcomes, strict=False):
            tiles.keep(tile, outcome.state[0])
            left -= 1
            self.runner.report(self.work.size, outcome.keep, outcome.denoised)
        if left:
            raise Stopped

    def _blended(self, tiles: TileFolder, block: Box) -> FloatArray:
        """Blend the predictions of all tiles over a block."""
        grid, channels = self.cut.estimating, self.space.channels
        if len(self.cut.tiles) == grid.count:
            return tiles.summed(grid, block, channels=channels)
        # at the edges of a part some neighbours were not made: those that were share what is left
        known = {tile.index for tile in self.cut.tiles}
        return tiles.summed(grid, block, known, channels) / grid.covered(block, known)

    def _px(self, tile: Tile) -> Box:
        return self.space.pixels(tile.box)

    def _noise(self, stream: int, block: Box) -> FloatArray:
        return noise_at(self.spec, self.work.settings, stream, self.space.pixels(block))

    def _protected(self, block: Box, values: FloatArray, number: int) -> FloatArray:
        """Return values before evaluation ``number``, held to the source where a part is protected still."""
        if self.work.fractions is None or self.sigmas[number] == 0:
            return values
        sigma = self.sigmas[number]
        fractions = self.space.cells(self.work.fractions.read(self.space.pixels(block)))
        tiles = TileFolder(self.folder / "encoded")
        source = tiles.summed(self.cut.coding, block, channels=self.space.channels)
        protected = Protected(
            source,
            self._noise(self.work.stream, block),
            begun_at(self.spec, self.work.settings, fractions),
        )
        return protected.over(values, sigma, next_lower(self.sigmas, number))

    def _untouched(self, block: Box, samples: SampleArray) -> SampleArray:
        """Finished pixels, those that are left nothing being the source's, bit for bit."""
        if self.work.fractions is None:
            return samples
        source = to_signed(self.work.source.read(block))
        begun = begun_at(self.spec, self.work.settings, self.work.fractions.read(block))
        return to_samples(at_last(to_signed(samples), source, begun, self.sigmas[-2]))

    def _keep_state(self, number: int, fields: int, values: Callable[[Box], State]) -> None:
        """Write a state block by block; it is there when it is whole."""
        path = self._state_file(number)
        partial = path.with_suffix(".part")
        canvas = StateCanvas.create(partial, self.cut.region, fields, self.space.channels)
        with filled(canvas, values, JOIN_BLOCK):
            put_in_place(partial, path)

    def _state(self, number: int) -> StateCanvas:
        return StateCanvas(self._state_file(number), self.cut.region)

    def _state_file(self, number: int) -> Path:
        return self.folder / f"state-{number:03d}.npy"


@dataclass(frozen=True, slots=True)
class Encoding:
    """The way of one tile into the network's space."""

    denoiser: Denoiser
    settings: Refine
    box: Box
    source: SampleArray

    @classmethod
    def of(cls, work: Pass, box: Box) -> "Encoding":
        held_by_start = work.denoiser.spec.holding is Holding.START
        start = work.structure if held_by_start else work.source
        return cls(work.denoiser, work.settings, box, start.read(box))

    def __call__(self) -> Outcome:
        began = time.perf_counter()
        values = self.denoiser.encode(signal_of(self.source, self.box, self.settings))
        return Outcome(self.box, (values,), self.source, time.perf_counter() - began)


@dataclass(frozen=True, slots=True)
class Estimating:
    """One evaluation of one tile."""

    denoiser: Denoiser
    settings: Refine
    number: int
    box: Box
    x: FloatArray
    structure: SampleArray
    unconditional: SampleArray | None
    words: Words | None
    negative: Words | None

    @classmethod
    def of(cls, work: Pass, number: int, box: Box, x: FloatArray) -> "Estimating":
        unconditional = work.unconditional.read(box) if work.unconditional else None
        script = work.script
        return cls(
            work.denoiser, work.settings, number, box, x, work.structure.read(box), unconditional,
            script.at(box), script.negative(),
        )  # fmt: skip

    def __call__(self) -> Outcome:
        spec = self.denoiser.spec
        guided = GuidedDenoiser(
            self.denoiser, self.settings, self.structure, self.unconditional, self.words, self.negative
        )  # fmt: skip
        began = time.perf_counter()
        denoised = guided.predict(self.x, plan(self.settings, spec)[self.number])
        seconds = time.perf_counter() - began
        seen = to_samples(self.denoiser.latent_preview(denoised))
        return Outcome(self.box, (denoised,), seen, seconds)


@dataclass(frozen=True, slots=True)
class Decoding:
    """The way of one tile back to pixels."""

    denoiser: Denoiser
    box: Box
    values: FloatArray

    def __call__(self) -> Outcome:
        began = time.perf_counter()
        pixels = to_samples(self.denoiser.decode(self.values))
        # kept as samples: half of what floats take, and all that the result holds
        return Outcome(self.box, (pixels,), pixels, time.perf_counter() - began)  # type: ignore[arg-type]
