"""Prediction types of latent networks, and the clean estimate that follows from each.

The engine knows one form, x = clean + σ · noise, and asks for D(x, σ), the clean estimate. Networks were
taught in others. A *ladder* holds the noise levels of a network's own steps and turns one form into the
other, so that samplers, spacings, noise and checkpoints of a pass stay what they are.

Variance-preserving networks see z = √ᾱ clean + √(1 − ᾱ) noise, so σ = √((1 − ᾱ)/ᾱ) and z = x/√(1 + σ²):

- noise (Ho et al., "Denoising diffusion probabilistic models", 2020, eq. 11): D = x − σ ε;
- velocity v = √ᾱ noise − √(1 − ᾱ) clean (Salimans and Ho, "Progressive distillation for fast sampling of
  diffusion models", ICLR 2022, app. D): D = x/(1 + σ²) − σ v/√(1 + σ²);
- the clean picture itself: D = what it gives.

Flow networks see z = (1 − t) clean + t noise, so σ = t/(1 − t) and z = x/(1 + σ), and give v = noise − clean
(Lipman et al., "Flow matching for generative modeling", ICLR 2023; Esser et al., "Scaling rectified flow
transformers", ICML 2024, eq. 13): D = z − t v = (x − σ v)/(1 + σ).
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, TypeVar

import numpy as np

from enamel.core.errors import Refusal

Values = TypeVar("Values")
"""An array of numpy or torch: the arithmetic is the same."""

KNOTS = 64
HIGHEST = 500.0
"""Highest noise level that a pass starts from; above it nothing of the picture is recognisable."""


class Prediction(StrEnum):
    """Prediction types, as named in configurations."""

    NOISE = "epsilon"
    VELOCITY = "v_prediction"
    CLEAN = "sample"
    FLOW = "flow"


@dataclass(frozen=True, slots=True)
class NoiseSchedule:
    """The noise levels of a network's own steps, and the conversion between its form and the engine's."""

    prediction: Prediction
    sigmas: tuple[float, ...]
    """Noise level of each step, rising."""
    times: tuple[float, ...]
    """The network's time input at each step."""
    steps: int
    """Number of steps in its training."""

    def time(self, sigma: float) -> float:
        """Return the network's time input at σ: interpolated in ln σ between its steps; for flow, exact."""
        if self.prediction is Prediction.FLOW:
            return self.steps * sigma / (1 + sigma)
        return float(np.interp(math.log(sigma), np.log(self.sigmas), self.times))

    def scale(self, sigma: float) -> float:
        """Return the factor for x before the network sees it."""
        if self.prediction is Prediction.FLOW:
            return 1 / (1 + sigma)
        return 1 / math.sqrt(1 + sigma**2)

    def clean(self, x: Values, made: Values, sigma: float) -> Values:
        """Return the clean estimate from the network's output for x · scale at σ."""
        given: Any = x
        gave: Any = made
        match self.prediction:
            case Prediction.NOISE:
                denoised = given - sigma * gave
            case Prediction.VELOCITY:
                denoised = given / (1 + sigma**2) - gave * (sigma / math.sqrt(1 + sigma**2))
            case Prediction.CLEAN:
                denoised = gave
            case Prediction.FLOW:
                denoised = (given - sigma * gave) / (1 + sigma)
        result: Values = denoised
        return result

    def strength_map(self) -> tuple[tuple[float, float], ...]:
        """Return knots (strength, σ): a strength is the fraction of the network's own steps that is run."""
        last = len(self.sigmas) - 1
        places = sorted({round(last * number / KNOTS) for number in range(KNOTS + 1)})
        return tuple((place / last, min(HIGHEST, self.sigmas[place])) for place in places)


def read_noise_schedule(config: Mapping[str, Any]) -> NoiseSchedule:
    """Return the ladder that a scheduler's configuration describes.

    Parameters
    ----------
    config : ``scheduler_config.json`` of a checkpoint, with ``_class_name``; missing entries have the
    library's defaults.

    Raises
    ------
    Refusal
        When it describes noise that the engine's form can't express.
    """
    steps = int(config.get("num_train_timesteps", 1000))
    if "FlowMatch" in str(config.get("_class_name", "")):
        return _flow(steps, config)
    try:
        prediction = Prediction(config.get("prediction_type", Prediction.NOISE))
    except ValueError:
        raise Refusal(
            f"Its scheduler says that the network predicts {config['prediction_type']!r}. Enamel knows "
            "noise (epsilon), velocity (v_prediction), the clean picture (sample) and flow."
        ) from None
    kept = np.cumprod(1 - _betas(steps, config))
    if config.get("rescale_betas_zero_snr"):
        kept = _without_signal(kept)
    sigmas = np.sqrt((1 - kept) / kept)
    return NoiseSchedule(prediction, _floats(sigmas), _floats(np.arange(steps)), steps)


def _betas(steps: int, config: Mapping[str, Any]) -> np.ndarray:
    """Return the variance that each step adds: (steps,) float64."""
    if config.get("trained_betas") is not None:
        return np.asarray(config["trained_betas"], np.float64)
    kind = config.get("beta_schedule", "linear")
    first, last = float(config.get("beta_start", 1e-4)), float(config.get("beta_end", 0.02))
    if kind == "linear":
        return np.linspace(first, last, steps)
    if kind == "scaled_linear":
        return np.linspace(math.sqrt(first), math.sqrt(last), steps) ** 2
    if kind == "squaredcos_cap_v2":  # Nichol and Dhariwal, "Improved DDPM", 2021, eq. 17
        place = np.arange(steps + 1) / steps
        fraction = np.cos((place + 0.008) / 1.008 * math.pi / 2) ** 2
        return np.minimum(1 - fraction[1:] / fraction[:-1], 0.999)
    raise Refusal(
        f"Its scheduler spreads its noise by {kind!r}, which Enamel does not know; it knows linear, "
        "scaled_linear and squaredcos_cap_v2."
    )


def _without_signal(kept: np.ndarray) -> np.ndarray:
    """Shares of signal scaled so that the last step has next to none (Lin et al., "Common diffusion noise
    schedules and sample steps are flawed", WACV 2024, algorithm 1)."""
    root = np.sqrt(kept)
    root = (root - root[-1]) * root[0] / (root[0] - root[-1])
    root[-1] = 2**-12
    return root**2


def _flow(steps: int, config: Mapping[str, Any]) -> NoiseSchedule:
    """t rises evenly and is shifted: t' = shift · t / (1 + (shift − 1) t) (Esser et al. 2024, eq. 23)."""
    shift = float(config.get("shift", 1.0))
    even = (
        np.arange(1, steps) / steps
    )  # at t = 1 nothing of the picture is left, and σ has no bound
    shifted = shift * even / (1 + (shift - 1) * even)
    sigmas = shifted / (1 - shifted)
    return NoiseSchedule(Prediction.FLOW, _floats(sigmas), _floats(shifted * steps), steps)


def _floats(values: np.ndarray) -> tuple[float, ...]:
    return tuple(map(float, values))
