"""The work on one tile, in a form that other processes can run. It gives the same bits wherever it runs."""

import time
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from enamel.core import ENGINE_VERSION
from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Denoiser, Holding, Words
from enamel.core.diffusion.samplers import State
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, SampleArray, to_samples, to_signed
from enamel.core.schedule import Refine
from enamel.core.tiling.guidance import GuidedDenoiser
from enamel.core.tiling.passspec import PassPictures, PassSpec
from enamel.core.tiling.protect import Protected, at_last, next_lower
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tilestore import key_of

PLAIN = Refine()


@dataclass(frozen=True, slots=True)
class TileResult:
    """Result of a tile task: sampler state of the tile's interior, its preview, and seconds spent in the
    network.

    After the last step the state is pixels; before, it is in the network's space.
    """

    interior: Box
    state: State
    preview: SampleArray
    model_seconds: float


class TileWork(Protocol):
    """A picklable callable that returns a tile's result: what executors run."""

    def __call__(self) -> TileResult: ...


@dataclass(frozen=True, slots=True)
class NeighbourConstraint:
    """Finished neighbours that a tile has to continue.

    ``samples`` (height, width, 3) uint16; ``mask`` (height, width, 1) float32, 1 where only they count, 0
    where the tile is free.
    """

    samples: SampleArray
    mask: FloatArray


class EncodedNeighbours:
    """Finished neighbours in the network's space, with the noise of their place, ready for any σ.

    Parameters
    ----------
    known : the neighbours.
    start : the pass's start. mask : where they count, (height, width, 1).
    noise : of their place, as the pass starts from.
    """

    def __init__(
        self, known: FloatArray, start: FloatArray, mask: FloatArray, noise: FloatArray
    ) -> None:
        self.known = known
        self.lost = start - known
        self.mask = mask
        self.noise = noise

    def over(self, x: FloatArray, sigma: float, degradation: float) -> FloatArray:
        """Return x with the neighbours where they count, with the missing detail and noise of this level."""
        known = self.known
        if degradation > 0:
            known = known + self.lost * np.float32(degradation)
        if sigma > 0:
            known = known + self.noise * np.float32(sigma)
        return x + (known - x) * self.mask


@dataclass(frozen=True, slots=True)
class TileInputs:
    """The inputs of a tile.

    ``source`` is where the pass starts from, needed when there is no state yet; ``structure`` what is
    held to; ``unconditional`` the softened structure that guidance moves away from; ``fractions``
    (height, width, 1) of the strength that each pixel is left, None where it is the whole; ``words`` and
    ``negative`` the prompts as the network takes them.
    """

    source: SampleArray | None
    structure: SampleArray
    unconditional: SampleArray | None
    fractions: FloatArray | None
    words: Words | None
    negative: Words | None

    @classmethod
    def read(
        cls,
        spec: PassSpec,
        pictures: PassPictures,
        box: Box,
        interior: Box,
        *,
        started: bool = False,
    ) -> "TileInputs":
        """Return what the tile of a box reads.

        Parameters
        ----------
        interior : the part whose result is wanted; it determines the prompts.
        started : whether the tile has a state already, so that it needs the source only where parts are
            protected.
        """
        fractions = pictures.fractions
        return cls(
            None if started and not fractions else pictures.source.read(box),
            pictures.structure.read(box),
            pictures.unconditional.read(box) if pictures.unconditional else None,
            fractions.read(box) if fractions else None,
            *spec.words(interior),
        )

    def guided(self, denoiser: Denoiser, settings: Refine) -> GuidedDenoiser:
        """Return a denoiser under these conditions."""
        return GuidedDenoiser(
            denoiser, settings, self.structure, self.unconditional, self.words, self.negative
        )


@dataclass(frozen=True, slots=True)
class TileTask:
    """Evaluations ``first`` to ``last`` − 1 of one tile.

    ``box`` is what the network sees, ``interior`` the part of it whose result is wanted; several
    evaluations in a row need both to be the same. ``state`` is where evaluation ``first`` begins: its
    first field over ``box``, the others over ``interior``; None at the start of a pass.
    """

    spec: PassSpec
    denoiser: Denoiser
    box: Box
    interior: Box
    first: int
    last: int
    inputs: TileInputs
    state: State | None = None
    constraint: NeighbourConstraint | None = None

    @classmethod
    def whole(
        cls,
        spec: PassSpec,
        denoiser: Denoiser,
        pictures: PassPictures,
        box: Box,
        constraint: NeighbourConstraint | None = None,
    ) -> "TileTask":
        """Return the task that takes a tile through all steps."""
        inputs = TileInputs.read(spec, pictures, box, box)
        last = len(spec.plan)
        return cls(spec, denoiser, box, box, 0, last, inputs, constraint=constraint)

    @classmethod
    def step(
        cls,
        spec: PassSpec,
        denoiser: Denoiser,
        pictures: PassPictures,
        box: Box,
        interior: Box,
        number: int,
        state: StateCanvas | None,
    ) -> "TileTask":
        """Return the task that takes a tile through one step, from a state of the whole picture."""
        fields = state.read_all(box, interior) if state else None
        inputs = TileInputs.read(spec, pictures, box, interior, started=fields is not None)
        return cls(spec, denoiser, box, interior, number, number + 1, inputs, fields)

    def key(self) -> str:
        """Hash of everything that the result of a whole pass depends on."""
        settings, inputs = self.spec.settings, self.inputs
        # a guide's weight is in no array
        hold = settings.hold if self.spec.model.holding is Holding.GUIDE else PLAIN.hold
        plain = replace(
            settings, tile=PLAIN.tile, fit=PLAIN.fit, overlap=PLAIN.overlap, overlap_fraction=None,
            feather=PLAIN.feather, order=PLAIN.order, joins=None, prompt="", negative_prompt="",
            regions=(), protect=None, blend=PLAIN.blend, guide=PLAIN.guide, anchor=PLAIN.anchor,
            anchor_radius=PLAIN.anchor_radius, hold=hold,
        )  # fmt: skip
        # the settings left out are reflected in the arrays
        constraint = (
            (None, None)
            if self.constraint is None
            else (self.constraint.samples, self.constraint.mask)
        )
        return key_of(
            ENGINE_VERSION, self.spec.model.digest, plain, self.box, self.interior, self.first,
            self.last, self.spec.stream, inputs.source, inputs.structure, inputs.unconditional,
            inputs.words, inputs.negative, *constraint, inputs.fractions,
        )  # fmt: skip

    def __call__(self) -> TileResult:
        plan, space = self.spec.plan, self.spec.model.space
        inner = space.box(self.interior).relative_to(space.box(self.box)).slices
        seconds = 0.0
        if self.state is None:
            began = time.perf_counter()
            signal = self._signal()
            seconds = time.perf_counter() - began if space.latent else 0.0
            state: State = (self._noised(signal, plan[0].sigma),)
        else:
            state = self.state
        guided = self.inputs.guided(self.denoiser, self.spec.settings)
        neighbours = self._neighbours()
        protected = self._protected()
        sigmas = self.spec.sigmas
        denoised: FloatArray = state[0]
        for number in range(self.first, self.last):
            step = plan[number]
            if neighbours is not None:
                state = (neighbours.over(state[0], step.sigma, step.degradation), *state[1:])
            if protected is not None:
                lower = next_lower(sigmas, number)
                state = (protected.over(state[0], step.sigma, lower), *state[1:])
            began = time.perf_counter()
            denoised = guided.predict(state[0], step)[inner]
            seconds += time.perf_counter() - began
            state = step.step((state[0][inner], *state[1:]), denoised, self._noise)
        if neighbours is not None:
            state = (neighbours.over(state[0], 0.0, 0.0), *state[1:])
        if self.last < len(plan):
            preview = to_samples(self.denoiser.latent_preview(denoised))
            return TileResult(self.interior, state, preview, seconds)
        began = time.perf_counter()
        pixels = self.denoiser.decode(state[0])
        seconds += time.perf_counter() - began
        if protected is not None:
            pixels = self._kept_where_protected(pixels, plan[-1].sigma)
        return TileResult(self.interior, (pixels,), to_samples(pixels), seconds)

    def _neighbours(self) -> EncodedNeighbours | None:
        """Return the finished neighbours in the network's space, if there are any."""
        if self.constraint is None:
            return None
        source = self._source
        space, mask = self.spec.model.space, self.constraint.mask
        known = to_signed(self.constraint.samples)
        if space.latent:
            # where there are no neighbours, a cell's surroundings must not be black
            known = np.where(mask > 0, known, to_signed(source))
        return EncodedNeighbours(
            self.denoiser.encode(known), self._signal(), space.cells(mask), self._starting_noise()
        )

    def _protected(self) -> Protected | None:
        """Return what holds protected parts to the source until they take part; None where nothing is
        protected.
        """
        fractions = self.inputs.fractions
        if fractions is None or float(fractions.min()) == 1:
            return None
        left = self.spec.sigma_left(self.spec.model.space.cells(fractions))
        source = self.denoiser.encode(to_signed(self._source))
        return Protected(source, self._starting_noise(), left)

    def _kept_where_protected(self, pixels: FloatArray, sigma: float) -> FloatArray:
        """Finished pixels, those that are left nothing being the source's, bit for bit."""
        assert self.inputs.fractions is not None
        inner = self.interior.relative_to(self.box).slices
        left = self.spec.sigma_left(self.inputs.fractions[inner])
        return at_last(pixels, to_signed(self._source[inner]), left, sigma)

    @property
    def _source(self) -> SampleArray:
        assert self.inputs.source is not None
        return self.inputs.source

    def _signal(self) -> FloatArray:
        """Return the pass's start in the network's space, without noise."""
        held_by_start = self.spec.model.holding is Holding.START
        start = self.inputs.structure if held_by_start else self._source
        return self.denoiser.encode(self.spec.signal(start, self.box))

    def _noised(self, signal: FloatArray, sigma: float) -> FloatArray:
        values = self._starting_noise()
        values *= np.float32(sigma)
        values += signal
        return values

    def _starting_noise(self) -> FloatArray:
        return self.spec.noise(self.spec.stream, self.box)

    def _noise(self, step: int) -> FloatArray:
        return self.spec.noise(noise.STEP + step, self.interior)
