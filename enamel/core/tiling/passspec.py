"""What one pass of refinement does, and the pictures it reads."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Holding, ModelSpec, Words
from enamel.core.diffusion.samplers import SamplerStep, sampler_steps
from enamel.core.diffusion.sigmas import Spacing, levels, own_sigmas, sigma_of
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Mirrored, Picture, SampleArray, to_signed
from enamel.core.imaging.colour import luma
from enamel.core.networks.cards import spec_of
from enamel.core.schedule import Mode, Refine
from enamel.core.tiling.protect import Fractions, starts
from enamel.core.tiling.words import Script


@dataclass(frozen=True, slots=True)
class PassSpec:
    """A pass without its pictures. Each of its tile tasks carries it.

    Parameters
    ----------
    settings, model : the refinement's settings, and the spec of its network.
    size : of the picture, without padding to the network's grid.
    stream : noise stream that the pass starts from.
    """

    settings: Refine
    model: ModelSpec
    size: Size
    stream: int = noise.START

    @classmethod
    def of(cls, settings: Refine, size: Size) -> "PassSpec":
        """Return the pass of a coat's refinement on a picture, by the network that it names."""
        return cls(settings, spec_of(settings), size)

    @property
    def padded(self) -> Size:
        """Size of the picture, padded to the network's grid."""
        return self.size.rounded_up(self.model.grid)

    @property
    def whole(self) -> Box:
        """The padded picture."""
        return Box.whole(self.padded)

    @property
    def plan(self) -> list[SamplerStep]:
        """The sampler's steps, from the noise level of the strength down to 0."""
        return _plan(self.settings, self.model)

    @property
    def sigmas(self) -> list[float]:
        """Noise level before each step, and 0 after the last."""
        return [*(step.sigma for step in self.plan), 0.0]

    @property
    def blends(self) -> bool:
        """Whether it works jointly by blending predictions."""
        return blends(self.settings, self.model)

    def left(self) -> Fractions | None:
        """Return the fraction of the strength for each pixel, where a part is protected."""
        protect = self.settings.protect
        return Fractions(protect, self.size) if protect else None

    def words(self, box: Box) -> tuple[Words | None, Words | None]:
        """Return the prompt and the negative prompt of a tile, as the network takes them."""
        script = Script(self.settings, self.model, self.size)
        return script.at(box), script.negative()

    def noise(self, stream: int, box: Box) -> FloatArray:
        """Return the noise of a place in the network's space; ``box`` in px."""
        space = self.model.space
        return noise.gaussian(self.settings.seed, stream, space.box(box), space.channels)

    def sigma_left(self, fractions: FloatArray) -> FloatArray:
        """Return the noise level from which pixels with a fraction of the strength take part."""
        return starts(fractions, self.settings.strength, self.model.strength_map)

    def signal(self, source: SampleArray, box: Box) -> FloatArray:
        """Return the pixels that the pass starts from, in −1…1: the source with extra noise, contrast and
        chroma gains.
        """
        signal = _gained(to_signed(source), self.settings.contrast, self.settings.chroma)
        if self.settings.extra_noise:
            # twice, because the signed scale is two units from black to white
            rough = noise.gaussian(self.settings.seed, noise.GRIT, box)
            signal = signal + rough * np.float32(2 * self.settings.extra_noise)
        return signal


def blends(settings: Refine, model: ModelSpec) -> bool:
    """Return whether a pass works jointly by blending predictions, because its network sees whole tiles.

    A window of its result is then only near that part of the whole.
    """
    return settings.mode is Mode.JOINT and model.radius is None


@lru_cache(maxsize=64)
def _plan(settings: Refine, model: ModelSpec) -> list[SamplerStep]:
    if settings.spacing is Spacing.OWN:
        sigmas = own_sigmas(settings.strength, settings.steps, model.strength_map)
    else:
        start = sigma_of(settings.strength, model.strength_map)
        sigmas = levels(start, model.sigma_min, settings.steps, settings.spacing, model.rho)
    degradation = settings.degradation if model.restores_detail else 0.0
    strengths, fractions = zip(*model.final_degradation, strict=True)
    final_degradation = float(np.interp(settings.strength, strengths, fractions))
    return sampler_steps(settings.sampler, sigmas, degradation, final_degradation)


def _gained(signal: FloatArray, contrast: float, chroma: float) -> FloatArray:
    """Return the starting signal with its contrast about mid-grey and its chroma about luma scaled."""
    if chroma != 1:
        grey = luma(signal)[..., None]
        signal = grey + (signal - grey) * np.float32(chroma)
    if contrast != 1:
        signal = signal * np.float32(contrast)
    return signal


@dataclass(frozen=True, slots=True)
class PassPictures:
    """The pictures a pass reads, all of the same size, three channels.

    Parameters
    ----------
    source : the pass's start. structure : what the structure is held to; for a refiner that is given
        none, where the pass starts from with as little of the source as hold leaves. unconditional : the
        structure held half as firmly, when guidance is not 1. fractions : of the strength that each pixel
        is left, where a part is protected.
    """

    source: Picture
    structure: Picture
    unconditional: Picture | None = None
    fractions: Fractions | None = None

    def padded(self, spec: PassSpec) -> "PassPictures":
        """Return them mirrored at their edges up to the network's grid, with what the pass protects."""
        size, unconditional = spec.padded, self.unconditional
        return PassPictures(
            Mirrored(self.source, size),
            Mirrored(self.structure, size),
            Mirrored(unconditional, size) if unconditional else None,
            spec.left(),
        )

    def start(self, model: ModelSpec) -> Picture:
        """Return what the pass of a network starts from."""
        return self.structure if model.holding is Holding.START else self.source
