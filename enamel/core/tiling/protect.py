"""Protecting parts of a picture: a fraction of the coat's strength for every pixel.

A pixel with a fraction of the strength takes part from the noise level at which a pass of that strength
would start. Until then it is held to the source with the noise of its place, so that tiles see it as it
is; with none of it it is the source's at the end, bit for bit. All of this is a function of the pixel's
place and level, so windows, tiles and both modes step alike.
"""

from collections.abc import Sequence

import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray
from enamel.core.masks import RenderedMask
from enamel.core.schedule import Protect

FULL_FROM = 0.05
"""Fraction from which a pixel starts at its strength's level; below, the start falls linearly to none."""


class Fractions:
    """The fraction of a coat's strength for each pixel of its result, read box by box."""

    def __init__(self, protect: Protect, size: Size) -> None:
        self.covered = RenderedMask(protect.mask, size)
        self.left = np.float32(protect.left)

    def read(self, box: Box) -> FloatArray:
        """(box height, box width, 1) float32, from what is left to 1."""
        fractions: FloatArray = 1 - self.covered.read(box) * (1 - self.left)
        return fractions[..., None]


def starts(
    fractions: FloatArray, strength: float, knots: Sequence[tuple[float, float]]
) -> FloatArray:
    """Return the noise level from which each pixel takes part, 0 where it never does.

    Parameters
    ----------
    shares : of the strength, 0…1.
    knots : (strength, σ) of the refiner's card, as for `sigmas.sigma_of`.
    """
    strengths, sigmas = zip(*knots, strict=True)
    level = np.exp(np.interp(strength * fractions.astype(np.float64), strengths, np.log(sigmas)))
    begun: FloatArray = (level * np.minimum(1, fractions / FULL_FROM)).astype(np.float32)
    return begun


class Protected:
    """The source on the network's scale, with the noise of its place, over what is still held to it.

    Parameters
    ----------
    source : (height, width, 3), −1…1.
    noise : of its place, as the pass starts from.
    begun : from `starts`.
    """

    def __init__(self, source: FloatArray, noise: FloatArray, begun: FloatArray) -> None:
        self.source = source
        self.noise = noise
        self.begun = begun

    def over(self, x: FloatArray, sigma: float, following: float) -> FloatArray:
        """Return x before an evaluation at ``sigma``; the next lower level is ``following``."""
        known = self.source + self.noise * np.float32(sigma)
        return x + (known - x) * _hold_weight(self.begun, sigma, following)


def at_last(x: FloatArray, source: FloatArray, begun: FloatArray, sigma: float) -> FloatArray:
    """Return x after the last evaluation, which was at ``sigma``: pixels that never take part are the
    source's, bit for bit.
    """
    weight = _hold_weight(begun, sigma, 0.0)
    kept: FloatArray = np.where(weight == 1, source, x + (source - x) * weight)
    return kept


def next_lower(sigmas: Sequence[float], number: int) -> float:
    """Return the next level below that of an evaluation; ``sigmas`` end with 0."""
    return next(sigma for sigma in sigmas[number:] if sigma < sigmas[number])


def _hold_weight(begun: FloatArray, sigma: float, following: float) -> FloatArray:
    """Return each pixel's weight towards the source: 1 when it starts below the next level."""
    span = np.float32(sigma - following)
    weight: FloatArray = np.clip((np.float32(sigma) - begun) / span, 0, 1)
    return weight
