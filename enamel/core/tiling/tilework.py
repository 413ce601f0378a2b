"""The work on one tile, and its way through an executor.

A `Task` is all that leaves the process: arrays, settings, and a denoiser that is pickled by name. It
can be computed anywhere, in any order, to the same bits.
"""

import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor, Future
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from enamel.core import ENGINE_VERSION
from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Condition, Denoiser, Holding, ModelSpec, Words
from enamel.core.diffusion.samplers import SamplerStep, State, sampler_steps
from enamel.core.diffusion.sigmas import Spacing, levels, own_sigmas, sigma_of
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Picture, SampleArray, to_samples, to_signed
from enamel.core.imaging.colour import luma
from enamel.core.progress import OnProgress, Progress, StopSign
from enamel.core.schedule import Refine
from enamel.core.tiling.protect import Fractions, Protected, at_last, next_lower, starts
from enamel.core.tiling.state import StateCanvas
from enamel.core.tiling.tilestore import TileStore, key_of
from enamel.core.tiling.words import Script

PLAIN = Refine()
AHEAD = 2
"""Tasks handed to the executor before the first result is awaited, so that reading never waits."""


@lru_cache(maxsize=64)
def plan(settings: Refine, spec: ModelSpec) -> list[SamplerStep]:
    """Return the sampler steps of a pass, from the noise level of its strength down to 0."""
    if settings.spacing is Spacing.OWN:
        sigmas = own_sigmas(settings.strength, settings.steps, spec.strength_map)
    else:
        start = sigma_of(settings.strength, spec.strength_map)
        sigmas = levels(start, spec.sigma_min, settings.steps, settings.spacing, spec.rho)
    degradation = settings.degradation if spec.restores_detail else 0.0
    strengths, fractions = zip(*spec.final_degradation, strict=True)
    final_degradation = float(np.interp(settings.strength, strengths, fractions))
    return sampler_steps(settings.sampler, sigmas, degradation, final_degradation)


@dataclass(frozen=True, slots=True)
class NeighbourConstraint:
    """Finished neighbours that a tile has to grow on from.

    ``samples`` (height, width, 3) uint16; ``mask`` (height, width, 1) float32, 1 where they count
    alone, 0 where the tile is free.
    """

    samples: SampleArray
    mask: FloatArray


class Finished:
    """Held neighbours in the network's space, with the noise of their place, ready for any σ.

    Parameters
    ----------
    known : the neighbours.
    start : what the pass starts from.
    mask : where they count, (height, width, 1).
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
        """x, with the neighbours where they count: lacking and noisy as x is at this level."""
        known = self.known
        if degradation > 0:
            known = known + self.lost * np.float32(degradation)
        if sigma > 0:
            known = known + self.noise * np.float32(sigma)
        return x + (known - x) * self.mask


@dataclass(frozen=True, slots=True)
class Outcome:
    """Result of a tile task: sampler state of the tile's interior, its last denoised prediction, and
    seconds spent in the network.

    After the last step the state is pixels; before, it is in the network's space.
    """

    keep: Box
    state: State
    denoised: SampleArray
    model_seconds: float


@dataclass(frozen=True, slots=True)
class Task:
    """Evaluations ``first`` to ``last`` − 1 of one tile.

    ``box`` is what the network sees, ``keep`` the part of it whose result is wanted; several
    evaluations in a row need both to be the same.
    """

    denoiser: Denoiser
    settings: Refine
    box: Box
    keep: Box
    first: int
    last: int
    state: State | None
    """Where evaluation ``first`` begins: the first field over ``box``, the others over ``keep``. None at the
    start of a pass."""
    source: SampleArray | None
    """The picture the pass starts from; needed when there is no state."""
    structure: SampleArray
    unconditional: SampleArray | None
    """The softened structure; guidance moves away from the prediction under it."""
    words: Words | None
    negative: Words | None
    constraint: NeighbourConstraint | None
    stream: int
    """Noise stream that the pass starts from."""
    fractions: FloatArray | None = None
    """(height, width, 1), fraction of the strength that each pixel is left; None where it is the whole."""

    def key(self) -> str:
        """Hash of everything that the outcome of a whole pass depends on."""
        # a guide's say is in no array
        hold = self.settings.hold if self._guided_beside else PLAIN.hold
        plain = replace(
            self.settings, tile=PLAIN.tile, fit=PLAIN.fit, overlap=PLAIN.overlap, overlap_fraction=None,
            feather=PLAIN.feather, order=PLAIN.order, joins=None, prompt="", negative_prompt="",
            regions=(), protect=None, blend=PLAIN.blend, guide=PLAIN.guide, anchor=PLAIN.anchor,
            anchor_radius=PLAIN.anchor_radius, hold=hold,
        )  # fmt: skip
        # what was left out has its part in the arrays
        constraint = (
            (None, None)
            if self.constraint is None
            else (self.constraint.samples, self.constraint.mask)
        )
        return key_of(
            ENGINE_VERSION, self.denoiser.spec.digest, plain, self.box, self.keep, self.first,
            self.last, self.stream, self.source, self.structure, self.unconditional, self.words,
            self.negative, *constraint, self.fractions,
        )  # fmt: skip

    def __call__(self) -> Outcome:
        evaluation_plan = plan(self.settings, self.denoiser.spec)
        space = self.denoiser.spec.space
        inner = space.box(self.keep).relative_to(space.box(self.box)).slices
        seconds = 0.0
        if self.state is None:
            began = time.perf_counter()
            signal = self._signal()
            seconds = time.perf_counter() - began if space.latent else 0.0
            state: State = (self._noised(signal, evaluation_plan[0].sigma),)
        else:
            state = self.state
        guided = GuidedDenoiser(
            self.denoiser, self.settings, self.structure, self.unconditional, self.words, self.negative
        )  # fmt: skip
        finished = self._finished()
        protected = self._protected()
        following = [*(sampler_step.sigma for sampler_step in evaluation_plan), 0.0]
        denoised: FloatArray = state[0]
        for number in range(self.first, self.last):
            sampler_step = evaluation_plan[number]
            if finished is not None:
                constraint = finished.over(state[0], sampler_step.sigma, sampler_step.degradation)
                state = (constraint, *state[1:])
            if protected is not None:
                lower = next_lower(following, number)
                state = (protected.over(state[0], sampler_step.sigma, lower), *state[1:])
            began = time.perf_counter()
            denoised = guided.predict(state[0], sampler_step)[inner]
            seconds += time.perf_counter() - began
            kept = (state[0][inner], *state[1:])
            state = sampler_step.step(kept, denoised, self._noise)
        if finished is not None:
            state = (finished.over(state[0], 0.0, 0.0), *state[1:])
        if self.last < len(evaluation_plan):
            return Outcome(
                self.keep, state, to_samples(self.denoiser.latent_preview(denoised)), seconds
            )
        began = time.perf_counter()
        pixels = self.denoiser.decode(state[0])
        seconds += time.perf_counter() - began
        if protected is not None:
            pixels = self._kept_where_protected(pixels, evaluation_plan[-1].sigma)
        return Outcome(self.keep, (pixels,), to_samples(pixels), seconds)

    @property
    def _guided_beside(self) -> bool:
        return self.denoiser.spec.holding is Holding.GUIDE

    def _finished(self) -> Finished | None:
        """Return the held neighbours in the network's space, if there are any."""
        if self.constraint is None:
            return None
        assert self.source is not None
        space, mask = self.denoiser.spec.space, self.constraint.mask
        known = to_signed(self.constraint.samples)
        if space.latent:
            # where nothing is held, a cell's surroundings must not be black
            known = np.where(mask > 0, known, to_signed(self.source))
        return Finished(
            self.denoiser.encode(known), self._signal(), space.cells(mask), self._starting_noise()
        )

    def _protected(self) -> Protected | None:
        """Return what holds the picture to the source until its strength lets it take part, if any is left
        less.
        """
        if self.fractions is None or float(self.fractions.min()) == 1:
            return None
        assert self.source is not None
        spec = self.denoiser.spec
        begun = begun_at(spec, self.settings, spec.space.cells(self.fractions))
        source = self.denoiser.encode(to_signed(self.source))
        return Protected(source, self._starting_noise(), begun)

    def _kept_where_protected(self, pixels: FloatArray, sigma: float) -> FloatArray:
        """Finished pixels, those that are left nothing being the source's, bit for bit."""
        assert self.fractions is not None
        assert self.source is not None
        inner = self.keep.relative_to(self.box).slices
        begun = begun_at(self.denoiser.spec, self.settings, self.fractions[inner])
        return at_last(pixels, to_signed(self.source[inner]), begun, sigma)

    def _signal(self) -> FloatArray:
        """Return what the pass starts from in the network's space, before its noise."""
        start = self.source
        if self.denoiser.spec.holding is Holding.START:
            start = self.structure
        assert start is not None
        return self.denoiser.encode(signal_of(start, self.box, self.settings))

    def _noised(self, signal: FloatArray, sigma: float) -> FloatArray:
        values = self._starting_noise()
        values *= np.float32(sigma)
        values += signal
        return values

    def _starting_noise(self) -> FloatArray:
        return noise_at(self.denoiser.spec, self.settings, self.stream, self.box)

    def _noise(self, step: int) -> FloatArray:
        return noise_at(self.denoiser.spec, self.settings, noise.STEP + step, self.keep)


def begun_at(spec: ModelSpec, settings: Refine, fractions: FloatArray) -> FloatArray:
    """Return noise level at which what is left a fraction of the strength begins to take part."""
    return starts(fractions, settings.strength, spec.strength_map)


def noise_at(spec: ModelSpec, settings: Refine, stream: int, box: Box) -> FloatArray:
    """Return the noise of a place in a refiner's space; ``box`` in px."""
    return noise.gaussian(settings.seed, stream, spec.space.box(box), spec.space.channels)


def signal_of(source: SampleArray, box: Box, settings: Refine) -> FloatArray:
    """Return the pixels that a pass starts from, in −1…1: the source with extra noise, contrast and
    chroma.
    """
    signal = gained(to_signed(source), settings.contrast, settings.chroma)
    if settings.extra_noise:
        # twice, because the signed scale is two units from black to white
        rough = noise.gaussian(settings.seed, noise.GRIT, box)
        signal = signal + rough * np.float32(2 * settings.extra_noise)
    return signal


class GuidedDenoiser:
    """A denoiser with its conditions at one place, and guidance between them.

    Parameters
    ----------
    structure, unconditional : samples of the place; ``unconditional`` is the softened structure that
        guidance moves away from, None at guidance 1.
    words, negative : the prompt and the negative prompt, as the network takes them.
    """

    def __init__(
        self,
        denoiser: Denoiser,
        settings: Refine,
        structure: SampleArray,
        unconditional: SampleArray | None,
        words: Words | None,
        negative: Words | None,
    ) -> None:
        self.denoiser = denoiser
        self.settings = settings
        hold, guidance = settings.hold, settings.guidance
        self.full = Condition(to_signed(structure), words, 0.0, hold, guidance)
        self.unconditional: Condition | None = None
        if unconditional is not None:
            away = to_signed(unconditional)
            self.unconditional = Condition(away, negative, 0.0, hold, guidance, negative=True)

    def predict(self, x: FloatArray, at: SamplerStep) -> FloatArray:
        """Predict the denoised picture: u + g · (full − u) (Ho & Salimans, "Classifier-free diffusion
        guidance", 2022), where u is held half as firmly and conditioned on the negative prompt."""
        full = self.denoiser.predict(x, at.sigma, replace(self.full, degradation=at.degradation))
        if self.unconditional is None:
            return full
        start = self.denoiser.predict(
            x, at.sigma, replace(self.unconditional, degradation=at.degradation)
        )
        return start + (full - start) * np.float32(self.settings.guidance)


def gained(signal: FloatArray, contrast: float, chroma: float) -> FloatArray:
    """Return the starting signal with its contrast about mid-grey and its chroma about luma scaled."""
    if chroma != 1:
        grey = luma(signal)[..., None]
        signal = grey + (signal - grey) * np.float32(chroma)
    if contrast != 1:
        signal = signal * np.float32(contrast)
    return signal


@dataclass(frozen=True)
class Pass:
    """One pass over one picture: what its tiles read. Pictures are padded to the network's grid."""

    source: Picture
    structure: Picture
    unconditional: Picture | None
    settings: Refine
    denoiser: Denoiser
    size: Size
    """Size of the picture without padding."""
    stream: int = noise.START

    @property
    def padded(self) -> Size:
        return self.source.size

    @property
    def plan(self) -> list[SamplerStep]:
        return plan(self.settings, self.denoiser.spec)

    @property
    def script(self) -> Script:
        return Script(self.settings, self.denoiser.spec, self.size)

    @cached_property
    def fractions(self) -> Fractions | None:
        """What fraction of the strength each pixel is left, where a part is protected."""
        protect = self.settings.protect
        return Fractions(protect, self.size) if protect else None

    def task(
        self,
        box: Box,
        keep: Box,
        first: int,
        last: int,
        state: StateCanvas | None = None,
        constraint: NeighbourConstraint | None = None,
    ) -> Task:
        fields = state.read_all(box, keep) if state else None
        return Task(
            self.denoiser,
            self.settings,
            box,
            keep,
            first,
            last,
            fields,
            None if fields and not self.fractions else self.source.read(box),
            self.structure.read(box),
            self.unconditional.read(box) if self.unconditional else None,
            self.script.at(keep),
            self.script.negative(),
            constraint,
            self.stream,
            self.fractions.read(box) if self.fractions else None,
        )


@dataclass
class Runner:
    """Takes tasks through an executor, counts, tells, and stops when asked."""

    executor: Executor
    coat: int = 0
    on_progress: OnProgress | None = None
    stopping: StopSign | None = None
    ahead: int = AHEAD
    store: TileStore | None = None
    """Where finished tiles of whole passes are shared with other runs."""
    model_seconds: float = field(default=0.0, init=False)
    tasks_run: int = field(default=0, init=False)
    tasks_taken_over: int = field(default=0, init=False)
    """Tasks whose outcome another run had left in the store."""
    done: int = field(default=0, init=False)
    total: int = field(default=0, init=False)

    def outcomes(self, tasks: Iterable[Callable[[], Outcome]]) -> Iterator[Outcome]:
        """Yield results in order; later tasks are read while earlier ones run. Ends early at a stop."""
        pending: deque[Future[Outcome]] = deque()
        for task in tasks:
            if self.stopping and self.stopping():
                break
            pending.append(self.executor.submit(task))
            if len(pending) > self.ahead:
                yield self._counted(pending.popleft())
        while pending:
            yield self._counted(pending.popleft())

    def _counted(self, future: "Future[Outcome]") -> Outcome:
        outcome = future.result()
        self.model_seconds += outcome.model_seconds
        self.tasks_run += 1
        return outcome

    def report(self, size: Size, box: Box, samples: SampleArray) -> None:
        """One more piece of work is finished and kept."""
        self.done += 1
        if self.on_progress:
            visible = box.intersection(Box.whole(size))
            preview = samples[visible.relative_to(box).slices]
            self.on_progress(Progress(self.coat, self.done, self.total, visible, preview))
