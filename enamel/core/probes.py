"""What networks from elsewhere are tried on, and how far a change is felt in what they make."""

import math

import numpy as np

from enamel.core.canvas import FloatArray


def picture(height: int, width: int) -> FloatArray:
    """A probe with shapes and texture, (height, width, 3) in 0.1…0.9, always the same."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    waves = [np.sin(x * 0.31 + y * 0.17), np.sin(x * 0.05 - y * 0.23), np.sin(np.hypot(x, y) * 0.4)]
    rough = np.random.default_rng(7).uniform(-0.15, 0.15, (height, width, 3))
    return (0.5 + 0.25 * np.stack(waves, axis=2) + rough).astype(np.float32)


def felt(
    before: FloatArray, after: FloatArray, y: int, x: int, factor: int = 1
) -> tuple[int, int, int, int]:
    """How far a change of the pixel at y, x is felt upwards, downwards, left and right.

    In px of the picture that was changed; ``before`` and ``after`` are ``factor`` times as large.
    """
    changed = np.abs(after - before).max(axis=2) > 0
    rows, columns = np.flatnonzero(changed.any(axis=1)), np.flatnonzero(changed.any(axis=0))
    if not len(rows):
        return 0, 0, 0, 0
    return (
        math.ceil(y - rows[0] / factor),
        math.ceil((rows[-1] + 1) / factor - y - 1),
        math.ceil(x - columns[0] / factor),
        math.ceil((columns[-1] + 1) / factor - x - 1),
    )
