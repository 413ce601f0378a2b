"""Gaussian blur of any window of a picture, to the same bits as the whole."""

import math

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, Picture, SampleArray, mirrored_index

WEAK_HOLD = 0.75
"""Fraction of the hold for the weak estimate that guidance moves away from."""


def softening_at(hold: float, softening: float) -> float:
    """Return blur in px of the structure at a hold of 0 to 1, 0 at 1, ``softening`` at 0.

    In proportion to 1 − hold: the first third of a pixel of blur changes nothing that can be seen, so
    a slower start would leave a part of the range without effect.
    """
    return softening * (1 - hold)


def gaussian_taps(sigma: float) -> FloatArray:
    """Return weights of a Gaussian of standard deviation ``sigma`` px, cut at 3 σ, summing to 1."""
    radius = math.ceil(3 * sigma)
    places = np.arange(-radius, radius + 1)
    weights = np.exp(-0.5 * (places / sigma) ** 2)
    return (weights / weights.sum()).astype(np.float32)


class Softened:
    """A picture blurred by ``sigma`` px, computed where it is read; its edges are mirrored."""

    def __init__(self, picture: Picture, sigma: float) -> None:
        self.picture = picture
        self.size = picture.size
        self.channels = picture.channels
        self.taps = gaussian_taps(sigma)
        self.margin = len(self.taps) // 2

    def read(self, box: Box) -> SampleArray:
        known = box.grown(self.margin).intersection(Box.whole(self.size))
        samples = self.picture.read(known).astype(np.float32)
        rows = mirrored_index(box.y - self.margin, box.bottom + self.margin, self.size.height)
        samples = weighted(samples[rows - known.y], self.taps)
        columns = mirrored_index(box.x - self.margin, box.right + self.margin, self.size.width)
        samples = weighted(samples[:, columns - known.x].swapaxes(0, 1), self.taps).swapaxes(0, 1)
        return np.rint(samples).astype(np.uint16)


def weighted(rows: FloatArray, taps: FloatArray) -> FloatArray:
    """Return sum of neighbouring rows by weight, tap by tap in a fixed order: len(taps) − 1 rows fewer."""
    length = len(rows) - len(taps) + 1
    total = rows[:length] * taps[0]
    for tap, weight in enumerate(taps[1:], 1):
        total += rows[tap : tap + length] * weight
    return total
