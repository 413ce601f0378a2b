"""Resampling by a kernel, for any window of the result, to the same bits as the whole.

Every output sample is the same sum of the same products in the same order, whatever window it is
computed in; matrix products and library filters do not promise that.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture, SampleArray

Kernel = Callable[[NDArray[np.float64]], NDArray[np.float64]]


def unit_box(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """1 on (−½, ½]: the nearest sample."""
    return ((t > -0.5) & (t <= 0.5)).astype(np.float64)


def cubic(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cubic convolution with a = −½ (Keys, IEEE Trans. ASSP 29, 1981)."""
    t = np.abs(t)
    near = 1.5 * t**3 - 2.5 * t**2 + 1
    far = -0.5 * t**3 + 2.5 * t**2 - 4 * t + 2
    return np.where(t < 1, near, np.where(t < 2, far, 0.0))


def lanczos(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sinc windowed by a wider sinc, three lobes (Duchon, J. Applied Meteorology 18, 1979)."""
    return np.where(np.abs(t) < 3, np.sinc(t) * np.sinc(t / 3), 0.0)


@dataclass(frozen=True, slots=True)
class Filter:
    """A kernel and its radius, in samples of the coarser grid."""

    kernel: Kernel
    support: float
    antialias: bool = True
    """Whether the kernel widens when the picture shrinks, to avoid aliasing."""


FILTERS = {
    "nearest": Filter(unit_box, 0.5, antialias=False),
    "bicubic": Filter(cubic, 2.0),
    "lanczos": Filter(lanczos, 3.0),
}


@lru_cache(maxsize=64)
def taps(
    name: str, length_in: int, length_out: int, start: int, stop: int
) -> tuple[NDArray[np.intp], FloatArray]:
    """Return the input samples and weights of output samples start…stop−1 along one side.

    Sample centres lie at half-integers, so that both grids share their outer edges. Taps beyond
    the picture are left out and the rest scaled to sum to 1.

    Returns
    -------
    index : (stop − start, taps), positions in the input.
    weight : (stop − start, taps) float32, rows summing to 1.
    """
    chosen = FILTERS[name]
    ratio = length_in / length_out
    stretch = max(1.0, ratio) if chosen.antialias else 1.0
    centre = (2 * np.arange(start, stop) + 1) * length_in / (2 * length_out)
    reach = chosen.support * stretch
    count = int(np.ceil(2 * reach)) + 1
    first = np.floor(centre - reach).astype(np.intp)
    index = first[:, None] + np.arange(count)
    weight = chosen.kernel((index + 0.5 - centre[:, None]) / stretch)
    weight[(index < 0) | (index >= length_in)] = 0
    weight /= weight.sum(axis=1, keepdims=True)
    kept = np.flatnonzero(weight.any(axis=0))
    used = slice(kept[0], kept[-1] + 1)
    return np.clip(index[:, used], 0, length_in - 1), weight[:, used].astype(np.float32)


def reach(name: str, size_in: Size, size_out: Size, box: Box) -> Box:
    """Return the part of the input that a box of the output is computed from."""
    columns, _ = taps(name, size_in.width, size_out.width, box.x, box.right)
    rows, _ = taps(name, size_in.height, size_out.height, box.y, box.bottom)
    return Box.between(
        int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1
    )


def resample(source: Picture, size: Size, box: Box, name: str) -> SampleArray:
    """Return a box of ``source`` resampled to ``size``.

    Parameters
    ----------
    source : picture to read; only what `reach` names is read.
    size : size of the whole result in px.
    box : the part of the result that is wanted.
    name : nearest, bicubic or lanczos.

    Returns
    -------
    (box height, box width, channels) uint16, rounded half to even, clipped.
    """
    if source.size == size:
        return source.read(box)
    needed = reach(name, source.size, size, box)
    samples = source.read(needed)
    index, weight = taps(name, source.size.height, size.height, box.y, box.bottom)
    tall = _weighted(samples.astype(np.float32), index - needed.y, weight, axis=0)
    index, weight = taps(name, source.size.width, size.width, box.x, box.right)
    full = _weighted(tall, index - needed.x, weight, axis=1)
    np.rint(full, out=full)
    return np.clip(full, 0, WHITE, out=full).astype(np.uint16)


def _weighted(
    samples: FloatArray, index: NDArray[np.intp], weight: FloatArray, axis: int
) -> FloatArray:
    """Σ over taps of weight · sample along one side, tap by tap in a fixed order."""
    shape = (-1, 1, 1) if axis == 0 else (1, -1, 1)
    total = np.take(samples, index[:, 0], axis=axis) * weight[:, 0].reshape(shape)
    for tap in range(1, index.shape[1]):
        part = np.take(samples, index[:, tap], axis=axis)
        part *= weight[:, tap].reshape(shape)
        total += part
    return total
