"""Steps that remove faults: compression, noise, colour fringes, blur. Each has a radius of a few px."""

import math

import numpy as np

from enamel.core.finishing import kernels
from enamel.core.finishing.kernels import Plane, Planes, chroma, lightness
from enamel.core.finishing.planes import (
    LEVEL,
    blurred,
    highest,
    lowest,
    reach_of,
    smooth_reach,
    smoothed,
)
from enamel.core.finishing.recipe import CleanUp, Deblur, Fringes, Noise
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray

BANDS = (0.8, 1.6, 3.2)
"""Blurs between which noise is distinguished from detail, in grains."""
GAINS = (0.941, 0.196, 0.144)
"""Deviation that white noise of deviation 1 has in each of these bands."""
STRICT = 2.5
"""Deviations of the noise below which most of a band counts as noise."""
BLOCK_BLUR = 1 / 8
"""Blur across a block's border, in blocks."""
LEAST_SMOOTH = 0.9
"""Least blur that takes ripples away, in px."""
FRINGE_EDGE = 12 * LEVEL
"""Strength of an edge beside which colours count as fringes."""


def clean_up_margin(step: CleanUp) -> int:
    reach = smooth_reach(_block_blur(step))
    return 2 * reach + math.ceil(step.block / 2)


def _block_blur(step: CleanUp) -> float:
    return max(LEAST_SMOOTH, step.block * BLOCK_BLUR)


def cleaned_up(planes: Planes, known: Box, step: CleanUp) -> Planes:
    """Smooth the steps at borders of blocks, first horizontally, then vertically; then ringing beside edges.

    A pixel is moved towards its directional blur, more near a border, and less the more it differs from
    it, so that the picture's own detail stays.
    """
    sigma, limit = _block_blur(step), step.threshold * LEVEL
    if step.blocks:
        columns = _nearness(known.x, known.right, step.block)
        rows = _nearness(known.y, known.bottom, step.block)
        ones, amount = np.ones(known.height, np.float32), np.float32(step.blocks)
        planes = np.stack([
            kernels.move_towards(plane, smoothed(plane, sigma, down=False), limit, ones, columns * amount)
            for plane in planes
        ])  # fmt: skip
        ones = np.ones(known.width, np.float32)
        planes = np.stack([
            kernels.move_towards(plane, smoothed(plane, sigma, across=False), limit, rows * amount, ones)
            for plane in planes
        ])  # fmt: skip
    if step.ripples:
        light = lightness(planes)
        smooth = smoothed(light, LEAST_SMOOTH)
        strong = highest(kernels.apart(light, smoothed(light, sigma)), math.ceil(step.block / 2))
        calm = kernels.moved_beside_edges(light, smooth, limit / 2, strong, 2 * limit, step.ripples)
        planes = kernels.lightened(planes, kernels.difference(calm, light))
    return planes


def _nearness(first: int, last: int, block: float) -> FloatArray:
    """1 at the blocks' borders, falling to 0 a third of a block away, for each place."""
    places = (np.arange(first, last) + 0.5) / block
    return np.clip(1 - 3 * np.abs(places - np.rint(places)), 0, 1).astype(np.float32)


def noise_margin(step: Noise) -> int:
    return smooth_reach(BANDS[-1] * step.coarseness * (2 if step.colour else 1))


def denoised(planes: Planes, step: Noise) -> Planes:
    """Remove noise from three bands of lightness and of colour.

    Each band's values are kept by v² ÷ (v² + t²), the shrinkage of an empirical Wiener filter with t the
    deviation of the noise in that band times a factor: small values vanish, large ones stay.
    """
    light = lightness(planes)
    if step.colour:
        red, blue = (
            _noise_of(chroma(planes[at], light), step.colour / 2, 2 * step.coarseness, -2.0)
            for at in (0, 2)
        )
        planes = kernels.recoloured(planes, red, blue)
    if step.lightness:
        noise = _noise_of(light, step.lightness, step.coarseness, -1.0)
        planes = kernels.lightened(planes, noise)
    return planes


def _noise_of(plane: Plane, level: float, coarseness: float, factor: float) -> FloatArray:
    """Return the noise in a plane, times a factor."""
    finer, noise = plane, np.zeros(plane.shape, np.float32)
    for sigma, gain in zip(BANDS, GAINS, strict=True):
        coarser = smoothed(plane, max(LEAST_SMOOTH, sigma * coarseness))
        kernels.add_noise_of(noise, finer, coarser, STRICT * level * LEVEL * gain, factor)
        finer = coarser
    return noise


def fringes_margin(step: Fringes) -> int:
    reach = math.ceil(step.reach)
    return max(2 * reach, smooth_reach(step.reach) + reach)


def unfringed(planes: Planes, step: Fringes) -> Planes:
    """Level narrow ridges of colour beside strong edges; those wider than twice the radius stay."""
    light, reach = lightness(planes), math.ceil(step.reach)
    strong = highest(kernels.apart(light, smoothed(light, step.reach)), reach)
    red, blue = (
        kernels.excess(
            colour,
            highest(lowest(colour, reach), reach),
            lowest(highest(colour, reach), reach),
            strong,
            FRINGE_EDGE,
            step.amount,
        )
        for colour in (chroma(planes[at], light) for at in (0, 2))
    )
    return kernels.recoloured(planes, red, blue)


def deblur_margin(step: Deblur) -> int:
    return max(step.rounds * reach_of(step.blur), math.ceil(2 * step.blur))


def deblurred(planes: Planes, step: Deblur) -> Planes:
    """Undo a Gaussian blur of the lightness, regularised by stopping early.

    x ← x + (y − g ∗ x), begun with the blurred y: van Cittert, "Zum Einfluss der Spaltbreite auf die
    Intensitätsverteilung in Spektrallinien II", Zeitschrift für Physik 69, 1931. After n rounds a
    frequency that the blur left at h is given back by 1 − (1 − h)^(n+1) instead of h.
    """
    light = lightness(planes)
    sharp = light
    for _ in range(step.rounds):
        sharp = kernels.corrected(sharp, light, blurred(sharp, step.blur))
    return within_halo(planes, light, kernels.difference(sharp, light), 2 * step.blur, step.halo)


def within_halo(
    planes: Planes, light: Plane, change: FloatArray, radius: float, halo: float
) -> Planes:
    """Return a change of lightness that leaves the range of a pixel's surroundings by no more than a
    fraction of it.

    Parameters
    ----------
    radius : of the surroundings in px.
    halo : 0 keeps within the range, 1 allows as much again on either side.
    """
    reach = math.ceil(radius)
    kernels.hold(change, light, lowest(light, reach), highest(light, reach), halo)
    return kernels.lightened(planes, change)
