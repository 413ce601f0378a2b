"""Set a patch into a picture so that its edge does not show: its colour is matched to the surroundings.

The patch gets the smooth field added that equals the difference between picture and patch all around the
mask and is harmonic inside it, which is what cloning gradients amounts to (Pérez, Gangnet & Blake,
"Poisson image editing", SIGGRAPH 2003, eq. 5; Farbman et al., "Coordinates for instant image cloning",
SIGGRAPH 2009). The field has no detail, so it is solved on a small copy: memory does not grow with the
picture, and a block of the result needs nothing but the field.
"""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, FloatArray, Picture, SampleArray
from enamel.core.imaging.reduce import reduced
from enamel.core.masks.coverage import Coverage

SIDE = 160
"""Longest side of the copy on which the field is solved, in px."""
FREE = (0.95, 0.5)
"""Fraction of a cell that has to be free of the mask for its difference to count; the second value where
no cell reaches the first.
"""
SETTLING = 80
"""Iterations of averaging neighbours, after a first guess from coarse to fine."""


class MatchedPatch:
    """A patch matched to the colour around its mask, read box by box.

    Parameters
    ----------
    fresh, before : the patch and the picture under it, of one size.
    mask : where the patch shows, of the same size.
    amount : 0…1, how much of the difference is corrected.
    """

    channels = 3

    def __init__(self, fresh: Picture, before: Picture, mask: Coverage, amount: float) -> None:
        self.size = fresh.size
        self.fresh = fresh
        field = _field(fresh, before, mask) if amount > 0 else None
        self.field = None if field is None else field * np.float32(amount)

    def read(self, box: Box) -> FloatArray:
        """(box height, box width, 3) float32 on the scale of 16-bit samples, not yet rounded or clipped."""
        samples = self.fresh.read(box)[..., :3].astype(np.float32)
        if self.field is None:
            return samples
        rows, columns = self.field.shape[:2]
        across = (np.arange(box.x, box.right) + 0.5) * (columns / self.size.width) - 0.5
        down = (np.arange(box.y, box.bottom) + 0.5) * (rows / self.size.height) - 0.5
        x, y = np.meshgrid(across.astype(np.float32), down.astype(np.float32))
        added = cv2.remap(self.field, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        matched: FloatArray = samples + added
        return matched


def _field(fresh: Picture, before: Picture, mask: Coverage) -> FloatArray | None:
    """Return the difference around the mask, continued smoothly into it; None where nothing is free of it."""
    size = fresh.size.scaled(min(1.0, SIDE / max(fresh.size)))
    free = reduced(_Free(mask), size)[..., 0] / np.float32(WHITE)
    known = next((there for least in FREE if (there := free > least).any()), None)
    if known is None:
        return None
    under, over = (reduced(one, size)[..., :3].astype(np.float32) for one in (before, fresh))
    sure = known.astype(np.float32)[..., None]
    difference = (under - over) * sure
    # texture differs from cell to cell; only what neighbours have in common is colour
    weight = cv2.GaussianBlur(sure, (0, 0), 2)[..., None]
    even = cv2.GaussianBlur(difference, (0, 0), 2) / np.maximum(weight, 1e-6)
    return harmonic(even * sure, known)


def harmonic(values: FloatArray, known: NDArray[np.bool_]) -> FloatArray:
    """Return the known values, continued elsewhere so that each is about the mean of its neighbours.

    Parameters
    ----------
    values : (height, width, channels) float32, 0 where not known.
    known : (height, width) bool, true somewhere.
    """
    filled = np.where(known[..., None], values, _guessed(values, known.astype(np.float32)))
    for _ in range(SETTLING):
        edged = np.pad(filled, ((1, 1), (1, 1), (0, 0)), mode="edge")
        mean = (edged[:-2, 1:-1] + edged[2:, 1:-1] + edged[1:-1, :-2] + edged[1:-1, 2:]) / 4
        filled = np.where(known[..., None], values, mean)
    settled: FloatArray = filled.astype(np.float32)
    return settled


def _guessed(values: NDArray[Any], weight: NDArray[Any]) -> FloatArray:
    """Return known values spread into the gaps from coarse to fine: halve the size until no gap is left,
    then go back up.
    """
    if weight.min() > 0 or max(weight.shape) == 1:
        return values / np.maximum(weight, 1e-6)[..., None]
    height, width = weight.shape
    half = Size(-(-width // 2), -(-height // 2))
    coarse = cv2.resize(values, half, interpolation=cv2.INTER_AREA).reshape(
        half.height, half.width, -1
    )
    alpha = cv2.resize(weight, half, interpolation=cv2.INTER_AREA).reshape(half.height, half.width)
    below = cv2.resize(_guessed(coarse, alpha), (width, height), interpolation=cv2.INTER_LINEAR)
    below = below.reshape(height, width, -1)
    some = weight[..., None]
    guess: FloatArray = np.where(some > 0, values / np.maximum(some, 1e-6), below)
    return guess


class _Free:
    """The part that a mask leaves free, as a picture of one channel."""

    channels = 1

    def __init__(self, mask: Coverage) -> None:
        self.mask = mask
        self.size = mask.size

    def read(self, box: Box) -> SampleArray:
        free: SampleArray = np.rint((1 - self.mask.read(box)) * WHITE).astype(np.uint16)
        return free[..., None]
