"""Steps that change tone and colour, of each pixel by itself or by low frequencies of the whole."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from enamel.core.finishing import kernels
from enamel.core.finishing.kernels import Planes, chroma, lightness
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.planes import planes_of
from enamel.core.finishing.recipe import Tone
from enamel.core.imaging.canvas import WHITE
from enamel.core.imaging.colour import from_light, to_light

LEAST_SPREAD = 257.0
"""Least spread in 16-bit steps, used in place of smaller ones: a flat picture can't be given another's
contrast.
"""
MOST_STRETCH = 2.5


# levels, white balance, curve -----------------------------------------------------------------


@lru_cache(8)
def tables_of(step: Tone) -> NDArray[np.uint16]:
    """Return tables of red, green and blue, (3, 65536).

    First the white balance, as gains of linear light that make the given grey neutral and keep its
    lightness; then levels and the middle; then the curve.
    """
    light = to_light(np.arange(WHITE + 1, dtype=np.float32))
    grey = to_light(np.array(step.rgb, np.float32) * 257)
    gains = float(grey @ np.array([kernels.RED, kernels.GREEN, kernels.BLUE])) / grey
    tables = []
    for gain in gains:
        values = from_light(light * np.float32(gain)).astype(np.float64) / WHITE
        values = np.clip((values - step.black) / (step.white - step.black), 0, 1)
        values = curved(values ** (1 / step.middle), step.curve)
        tables.append(np.clip(np.rint(values * WHITE), 0, WHITE).astype(np.uint16))
    return np.stack(tables)


def curved(
    values: NDArray[np.float64], points: Sequence[tuple[float, float]]
) -> NDArray[np.float64]:
    """Apply a curve through points, without overshooting between them.

    Piecewise cubic with limited slopes: Fritsch & Butland, "A method for constructing local monotone
    piecewise cubic interpolants", SIAM J. Sci. Stat. Comput. 5, 1984. Beyond its ends it is level.
    """
    x, y = np.array(points, np.float64).T
    width = np.diff(x)
    rise = np.diff(y) / width
    slopes = np.zeros(len(x))
    before, after = rise[:-1], rise[1:]
    rising = before * after > 0
    first, second = 2 * width[1:] + width[:-1], width[1:] + 2 * width[:-1]
    weighed = first / np.where(rising, before, 1) + second / np.where(rising, after, 1)
    slopes[1:-1] = np.where(rising, (first + second) / np.where(rising, weighed, 1), 0)
    slopes[0], slopes[-1] = rise[0], rise[-1]
    held_values = np.clip(values, x[0], x[-1])
    at = np.clip(np.searchsorted(x, held_values, side="right") - 1, 0, len(width) - 1)
    t = (held_values - x[at]) / width[at]
    there: NDArray[np.float64] = (
        (1 + 2 * t) * (1 - t) ** 2 * y[at]
        + t * (1 - t) ** 2 * width[at] * slopes[at]
        + t**2 * (3 - 2 * t) * y[at + 1]
        + t**2 * (t - 1) * width[at] * slopes[at + 1]
    )
    return there


# matching -------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Spread:
    """Means and deviations of lightness, red and blue against lightness, over a whole picture.

    Matching these is Reinhard et al., "Color transfer between images", IEEE CG&A 21, 2001, in axes that
    keep greys grey.
    """

    means: tuple[float, ...]
    deviations: tuple[float, ...]

    @classmethod
    def of(cls, planes: Planes) -> "Spread":
        light = lightness(planes)
        axes = (light, chroma(planes[0], light), chroma(planes[2], light))
        return cls(
            tuple(float(axis.mean()) for axis in axes), tuple(float(axis.std()) for axis in axes)
        )


def spreads(own: Overview, other: Overview) -> tuple[Spread, Spread]:
    """Return the spreads of two pictures at the coarser one's resolution, so that detail which one lacks
    does not count.
    """
    side = min(own.side, other.side)
    one, two = (Spread.of(planes_of(picture.coarse(side))) for picture in (own, other))
    return one, two


def moved_towards(planes: Planes, own: Spread, other: Spread, amount: float) -> Planes:
    """Return mean and spread, moved a fraction of the way from one picture's to another's."""
    light = lightness(planes)
    axes = (light, chroma(planes[0], light), chroma(planes[2], light))
    change, red, blue = (
        kernels.stretched(
            axis,
            own.means[at],
            _stretch(own.deviations[at], other.deviations[at]),
            other.means[at] - own.means[at],
            amount if at == 0 else 2 * amount,
        )
        for at, axis in enumerate(axes)
    )
    return kernels.recoloured(kernels.lightened(planes, change), red, blue)


def _stretch(own: float, other: float) -> float:
    stretch = max(other, LEAST_SPREAD) / max(own, LEAST_SPREAD)
    return min(MOST_STRETCH, max(1 / MOST_STRETCH, stretch))
