"""Noise levels: from denoising strength to σ, and the levels a pass steps through."""

import math
from collections.abc import Sequence
from enum import StrEnum

import numpy as np


class Spacing(StrEnum):
    """Spacing of the noise levels of a pass."""

    KARRAS = "karras"
    UNIFORM = "uniform"
    OWN = "own"
    """Even in the model's own steps, as in the training of distilled models."""


def sigma_of(strength: float, knots: Sequence[tuple[float, float]]) -> float:
    """Return the noise level at which a pass of this strength starts.

    Straight lines in (strength, ln σ) between the knots of a model's card.

    Parameters
    ----------
    strength : 0…1; 0 means no refinement and has no level.
    knots : (strength, σ) in rising order, the first at strength 0, the last at 1.
    """
    if not 0 < strength <= 1:
        raise ValueError(
            f"strength {strength} has no noise level; it must be above 0 and at most 1"
        )
    strengths = [knot[0] for knot in knots]
    return math.exp(float(np.interp(strength, strengths, [math.log(knot[1]) for knot in knots])))


def own_sigmas(strength: float, steps: int, knots: Sequence[tuple[float, float]]) -> list[float]:
    """Return the noise levels of a pass that takes even strides through the model's own steps, then 0.

    Parameters
    ----------
    strength, knots : as for `sigma_of`.

    Returns
    -------
    steps + 1 floats, strictly falling, the last 0.
    """
    return [
        *(sigma_of(strength * (steps - number) / steps, knots) for number in range(steps)),
        0.0,
    ]


def levels(
    start: float, end: float, steps: int, spacing: Spacing = Spacing.KARRAS, rho: float = 5.0
) -> list[float]:
    """Return the noise levels of a pass: ``steps`` levels falling from start to end, then 0.

    Karras spacing is uniform in σ^(1/ρ) (Karras et al., "Elucidating the design space of
    diffusion-based generative models", NeurIPS 2022, eq. 5); uniform spacing is uniform in σ.

    A pass that starts at or below the lowest level goes on to half of where it starts, so that it has
    the steps that were asked for.

    Returns
    -------
    steps + 1 floats, strictly falling, the last 0.
    """
    if steps < 1:
        raise ValueError(f"{steps} steps; at least 1 is needed")
    if steps == 1:
        return [start, 0.0]
    end = end if end < start else start / 2
    power = rho if spacing is Spacing.KARRAS else 1.0
    ramp = np.linspace(start ** (1 / power), end ** (1 / power), steps)
    return [start, *(float(value) for value in ramp[1:] ** power), 0.0]
