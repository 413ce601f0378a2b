"""A denoiser with its conditions at one place, and guidance between them."""

from dataclasses import replace

import numpy as np

from enamel.core.diffusion.denoiser import Condition, Denoiser, Words
from enamel.core.diffusion.samplers import SamplerStep
from enamel.core.imaging.canvas import FloatArray, SampleArray, to_signed
from enamel.core.schedule import Refine


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
