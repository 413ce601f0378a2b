"""Steps that change how crisp a picture looks: local contrast, sharpening, grain."""

import numpy as np

from enamel.core.diffusion.noise import gaussian
from enamel.core.finishing import kernels
from enamel.core.finishing.kernels import Planes, lightness
from enamel.core.finishing.planes import LEVEL, blurred, reach_of
from enamel.core.finishing.recipe import Grain, LocalContrast, Sharpen
from enamel.core.finishing.repair import within_halo
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import HALF, WHITE, FloatArray
from enamel.core.imaging.soften import gaussian_taps

SOFT_LIMIT = 40 * LEVEL
"""Difference from the surroundings that counts half in local contrast, so that strong edges get no halo."""
EDGE_LEVEL = 3 * LEVEL
"""Strength of detail that counts as half an edge."""
STREAM = 7
"""Stream of the noise for grain."""
QUANTUM = WHITE / 16
"""Standard deviation of that noise in 16-bit steps, before it is blurred."""


def set_off(planes: Planes, around: FloatArray, step: LocalContrast) -> Planes:
    """Return lightness with increased difference from its surroundings, (height, width) in 16-bit steps."""
    change = kernels.set_off(lightness(planes), around, step.amount, float(SOFT_LIMIT))
    return kernels.lightened(planes, change)


def sharpen_margin(step: Sharpen) -> int:
    return 2 * reach_of(step.radius)


def sharpened(planes: Planes, step: Sharpen) -> Planes:
    """Return sharpened lightness: unsharp masking with threshold, edge mask and a limit on halos."""
    light = lightness(planes)
    smooth = blurred(light, step.radius)
    strength = blurred(kernels.apart(light, smooth), step.radius)
    change = kernels.steeper(
        light, smooth, strength,
        step.amount, step.threshold * LEVEL, step.edges, float(EDGE_LEVEL),
    )  # fmt: skip
    return within_halo(planes, light, change, max(1.0, step.radius), step.halo)


def grained(planes: Planes, known: Box, whole: Box, step: Grain) -> Planes:
    """Add grain to a window.

    The noise is a function of seed and coordinate alone. It is blurred to the size of a grain and brought
    back to deviation 1; how much of it is seen depends on the lightness.
    """
    sigma = step.size / 2
    around = known.grown(reach_of(sigma)).intersection(whole)
    noise = gaussian(step.seed, STREAM, around, 3 if step.colour else 1)
    noise *= np.float32(QUANTUM)
    noise += np.float32(HALF)
    plain = np.moveaxis(np.clip(np.rint(noise), 0, WHITE).astype(np.uint16), -1, 0)
    down, across = known.relative_to(around).slices
    blurs = np.stack([blurred(np.ascontiguousarray(one), sigma)[down, across] for one in plain])
    amount = step.amount * LEVEL / (QUANTUM * float((gaussian_taps(sigma) ** 2).sum()))
    return kernels.grained(
        planes, lightness(planes), blurs, amount, step.shadows, step.lights, step.colour
    )
