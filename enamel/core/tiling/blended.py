"""Joint mode for networks that see a whole tile: at each step the estimates of overlapping tiles are
blended by feathered weights, so that tiles don't drift apart.

A latent network's picture is brought into its space once, and back once, in tiles of their own: where
those ways look only so far, tiles overlap by that much and are cut in the middle, which gives what the
whole picture would give; where they look at everything, tiles are blended.

A part of the picture is made from the tiles that reach it, and those alone: what lies beyond them would
have reached it too, by a little more with each step, so a window is near the whole and not the same.
"""

import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Denoiser, ModelSpec, Space
from enamel.core.diffusion.samplers import State
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
from enamel.core.tiling.executor import TileExecutor
from enamel.core.tiling.grid import Grid, Tile
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.protect import Protected, at_last, next_lower
from enamel.core.tiling.separate import JOIN_BLOCK, TileFolder, network_tile, surrounding
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tiletask import TileInputs, TileResult, TileWork

CODED = 512
"""Least side in px of the tiles for encoding and decoding."""


@dataclass(frozen=True)
class Cut:
    """The tiles that a region needs: for predictions, and for encoding and decoding. All in cells."""

    estimating: Grid
    coding: Grid
    region: Box
    """The part covered by the tiles of the steps."""
    decoded: list[Tile]
    tiles: list[Tile]
    encoded: list[Tile]

    @classmethod
    def of(cls, spec: PassSpec, region: Box) -> "Cut":
        """Return it for a region in px of the picture."""
        settings, model, space = spec.settings, spec.model, spec.model.space
        snap = model.grid // space.factor
        whole = space.size(spec.padded)
        overlap = -(-settings.overlap_px // space.factor)
        estimating = Grid(whole, space.size(network_tile(spec)), overlap, snap, settings.feather)
        coding = _coding(model, whole)
        decoded = coding.touching(space.box(region).intersection(Box.whole(whole)))
        tiles = estimating.touching(surrounding(decoded[1:], decoded[0].box))
        covered = surrounding(tiles[1:], tiles[0].box)
        return cls(estimating, coding, covered, decoded, tiles, coding.touching(covered))


def _coding(model: ModelSpec, whole: Size) -> Grid:
    """Return the tiles for encoding and decoding: cut where their receptive radius is limited, else
    blended.
    """
    factor, snap = model.space.factor, model.grid // model.space.factor
    side = -(-max(CODED, model.native_tile) // model.grid) * snap
    radius = model.space.coding_radius
    if radius is None:
        return Grid(whole, Size(side, side), side // 4, snap, 1.0)
    overlap = 2 * (-(-radius // (factor * snap)) * snap)
    side = max(side, 4 * overlap)
    return Grid(whole, Size(side, side), overlap, snap, 0.0)


def reach(spec: PassSpec, region: Box) -> Box:
    """Return the part of the padded picture that refining the region reads."""
    cut = Cut.of(spec, region)
    return spec.model.space.pixels(surrounding(cut.encoded, cut.region))


def counted(spec: PassSpec, region: Box) -> tuple[int, int, float]:
    """Return tiles, pieces of work, and megapixels that the network sees in all evaluations."""
    cut, steps = Cut.of(spec, region), len(spec.plan)
    tasks = len(cut.encoded) + steps * len(cut.tiles) + len(cut.decoded)
    seen = spec.model.space.pixels(Box.whole(cut.estimating.used)).area / 1e6
    return len(cut.tiles), tasks, seen * len(cut.tiles) * steps


@dataclass
class BlendedPass:
    """One pass in joint mode by blending; ``pictures`` are padded to the network's grid."""

    spec: PassSpec
    denoiser: Denoiser
    pictures: PassPictures
    executor: TileExecutor
    folder: Path
    cut: Cut = field(init=False)

    def refine(self, region: Box) -> Canvas:
        """Return the refined pixels of the region, as a canvas in the folder."""
        steps = len(self.spec.plan)
        self.cut = cut = Cut.of(self.spec, region)
        self.executor.total = len(cut.encoded) + steps * len(cut.tiles) + len(cut.decoded)
        first = next((n for n in range(steps, -1, -1) if self._state_file(n).exists()), None)
        if first is None:
            self._begin()
            first = 0
        else:
            self.executor.done = len(cut.encoded) + first * len(cut.tiles)
        for number in range(first, steps):
            self._step(number)
        return self._decode(region)

    def _begin(self) -> None:
        """Encode the picture and add the noise of the first level."""
        tiles = TileFolder(self.folder / "encoded")
        start = self.pictures.start(self.spec.model)
        self._run(
            self.cut.encoded, tiles,
            lambda tile: Encoding(
                self.spec, self.denoiser, self._px(tile), start.read(self._px(tile))
            ),
        )  # fmt: skip

        def noised(block: Box) -> State:
            values = tiles.summed(self.cut.coding, block, channels=self.space.channels)
            values += self._noise(self.spec.stream, block) * np.float32(self.spec.sigmas[0])
            return (self._protected(block, values, 0),)

        self._keep_state(0, 1, noised)

    def _step(self, number: int) -> None:
        """Predict all tiles, blend the predictions and take the sampler's step."""
        sampler_step = self.spec.plan[number]
        # protected parts are held where predictions are blended, so tiles need not read them
        pictures = replace(self.pictures, fractions=None)
        tiles = TileFolder(self.folder / f"denoised-{number:03d}")
        with self._state(number) as state:

            def task(tile: Tile) -> Predicting:
                box = self._px(tile)
                inputs = TileInputs.read(self.spec, pictures, box, box, started=True)
                return Predicting(
                    self.spec, self.denoiser, number, box, state.read(tile.box), inputs
                )

            self._run(self.cut.tiles, tiles, task)

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

    def _decode(self, region: Box) -> Canvas:
        """Return the last state as pixels of the region."""
        tiles = TileFolder(self.folder / "decoded")
        with self._state(len(self.spec.plan)) as state:
            self._run(
                self.cut.decoded,
                tiles,
                lambda tile: Decoding(self.denoiser, self._px(tile), state.read(tile.box)),
            )
        f = self.space.factor
        coding = self.cut.coding
        in_px = Grid(
            self.spec.padded, Size(coding.tile.width * f, coding.tile.height * f),
            coding.overlap * f, self.spec.model.grid, coding.feather,
        )  # fmt: skip

        def joined(block: Box) -> SampleArray:
            pixels = np.rint(tiles.summed(in_px, block)).astype(np.uint16)
            return self._untouched(block, pixels)

        path = self.folder / "refined.npy"
        return filled(Canvas.create(path, region, 3, size=self.spec.size), joined, JOIN_BLOCK)

    @property
    def space(self) -> Space:
        return self.spec.model.space

    def _run(self, wanted: list[Tile], tiles: TileFolder, task: Callable[[Tile], TileWork]) -> None:
        """Compute the tiles that are not there yet."""
        self.executor.run(
            wanted, tiles.has, task, lambda tile, result: tiles.keep(tile, result.state[0]),
            self.spec.size,
        )  # fmt: skip

    def _blended(self, tiles: TileFolder, block: Box) -> FloatArray:
        """Blend the predictions of all tiles over a block."""
        grid, channels = self.cut.estimating, self.space.channels
        if len(self.cut.tiles) == grid.count:
            return tiles.summed(grid, block, channels=channels)
        # at the edges of a part some neighbours were not made, so the others share the weight
        known = {tile.index for tile in self.cut.tiles}
        return tiles.summed(grid, block, known, channels) / grid.covered(block, known)

    def _px(self, tile: Tile) -> Box:
        return self.space.pixels(tile.box)

    def _noise(self, stream: int, block: Box) -> FloatArray:
        return self.spec.noise(stream, self.space.pixels(block))

    def _protected(self, block: Box, values: FloatArray, number: int) -> FloatArray:
        """Return values before step ``number``, held to the source where a part is protected still."""
        fractions, sigma = self.pictures.fractions, self.spec.sigmas[number]
        if fractions is None or sigma == 0:
            return values
        left = self.spec.sigma_left(self.space.cells(fractions.read(self.space.pixels(block))))
        tiles = TileFolder(self.folder / "encoded")
        source = tiles.summed(self.cut.coding, block, channels=self.space.channels)
        protected = Protected(source, self._noise(self.spec.stream, block), left)
        return protected.over(values, sigma, next_lower(self.spec.sigmas, number))

    def _untouched(self, block: Box, samples: SampleArray) -> SampleArray:
        """Return finished pixels; fully protected ones are the source's, bit for bit."""
        fractions = self.pictures.fractions
        if fractions is None:
            return samples
        source = to_signed(self.pictures.source.read(block))
        left = self.spec.sigma_left(fractions.read(block))
        return to_samples(at_last(to_signed(samples), source, left, self.spec.sigmas[-2]))

    def _keep_state(self, number: int, fields: int, values: Callable[[Box], State]) -> None:
        """Write a state block by block, atomically."""
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
    """Take one tile into the network's space."""

    spec: PassSpec
    denoiser: Denoiser
    box: Box
    source: SampleArray

    def __call__(self) -> TileResult:
        began = time.perf_counter()
        values = self.denoiser.encode(self.spec.signal(self.source, self.box))
        return TileResult(self.box, (values,), self.source, time.perf_counter() - began)


@dataclass(frozen=True, slots=True)
class Predicting:
    """Predict one tile at one step."""

    spec: PassSpec
    denoiser: Denoiser
    number: int
    box: Box
    x: FloatArray
    inputs: TileInputs

    def __call__(self) -> TileResult:
        guided = self.inputs.guided(self.denoiser, self.spec.settings)
        began = time.perf_counter()
        denoised = guided.predict(self.x, self.spec.plan[self.number])
        seconds = time.perf_counter() - began
        preview = to_samples(self.denoiser.latent_preview(denoised))
        return TileResult(self.box, (denoised,), preview, seconds)


@dataclass(frozen=True, slots=True)
class Decoding:
    """Take one tile back to pixels."""

    denoiser: Denoiser
    box: Box
    values: FloatArray

    def __call__(self) -> TileResult:
        began = time.perf_counter()
        pixels = to_samples(self.denoiser.decode(self.values))
        # kept as samples: half of what floats take, and all that the result holds
        seconds = time.perf_counter() - began
        return TileResult(self.box, (pixels,), pixels, seconds)  # type: ignore[arg-type]
