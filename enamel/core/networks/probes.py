"""Test pictures for foreign networks, and measuring how far networks look."""

from collections.abc import Callable

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import FloatArray

PROBE = 64
"""Least side of a probe in px."""
GRIDS = (1, 2, 4, 8, 16, 32, 64)


def picture(height: int, width: int) -> FloatArray:
    """Return a probe with shapes and texture, (height, width, 3) in 0.1…0.9, always the same."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    waves = [np.sin(x * 0.31 + y * 0.17), np.sin(x * 0.05 - y * 0.23), np.sin(np.hypot(x, y) * 0.4)]
    rough = np.random.default_rng(7).uniform(-0.15, 0.15, (height, width, 3))
    return (0.5 + 0.25 * np.stack(waves, axis=2) + rough).astype(np.float32)


def smallest_grid(run: Callable[[FloatArray], object]) -> int:
    """Return the smallest number that a network's sides may be multiples of, found by trying.

    Raises
    ------
    Refusal
        From ``run``, or when no grid does.
    """
    for grid in GRIDS:
        least = -(-PROBE // grid) * grid
        try:
            run(picture(least + grid, least + 2 * grid))
        except Refusal:
            raise
        except Exception:  # the runtime raises many kinds
            continue
        return grid
    raise Refusal(f"It runs on no size that is a multiple of {GRIDS[-1]} px.")


def margin(
    run: Callable[[FloatArray], FloatArray],
    given: FloatArray,
    *,
    grid: int,
    farthest: int,
    factor: int = 1,
    least: int = 0,
) -> int | None:
    """Return how far around a cell of the grid a network has to see for the cell to come out bit for bit.

    Everything farther away is replaced by something quite different; the result is the smallest margin at
    which that changes nothing. A single changed pixel would not do: what it adds may be lost in rounding,
    where all that lies far away together is not.

    Parameters
    ----------
    run : the network; its result is ``factor`` times as large as what it is given.
    given : (side, side, channels), larger than twice ``farthest`` and a cell.
    grid : what margins and places are multiples of.
    farthest : largest margin that is tried; None is returned when it does not suffice.
    least : margin to begin with.
    """
    side = given.shape[0]
    place = side // 2 // grid * grid
    cell = slice(place * factor, (place + grid) * factor)
    rng = np.random.default_rng(5)
    low, high = given.min(), given.max()
    others = [rng.uniform(low, high, given.shape).astype(np.float32), low + high - given]
    before = run(given)[cell, cell]
    far = -(-least // grid) * grid
    for other in others:
        while True:
            if far > farthest:
                return None
            seen = slice(max(0, place - far), place + grid + far)
            patched = other.copy()
            patched[seen, seen] = given[seen, seen]
            if np.array_equal(run(patched)[cell, cell], before):
                break
            far += grid
    return far
