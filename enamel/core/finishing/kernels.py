"""Compiled loops over pixels: what each step does to a pixel once its blurs are computed.

Compiled by numba without permission to reorder or fuse operations, so a pixel's value does not depend on
its place in a window. All planes are (height, width); results are rounded half to even and clipped.
"""

from collections.abc import Callable
from functools import lru_cache, wraps
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.uint16]
Planes = NDArray[np.uint16]
"""(3, height, width): red, green, blue."""
Values = NDArray[np.float32]

RED, GREEN, BLUE = 0.2126, 0.7152, 0.0722
"""Shares of luma (ITU-R BT.709-6, item 3.2)."""
MIDDLE = 32767
"""What `chroma` gives for grey."""
F = TypeVar("F", bound=Callable[..., Any])


_WRITTEN: list[Callable[..., Any]] = []


def compiled(function: F) -> F:
    """Return a function of arrays and numbers that is compiled at its first call and cached on disk."""
    _WRITTEN.append(function)

    @wraps(function)
    def run(*given: Any) -> Any:
        return _dispatchers()[function.__name__](*given)

    return cast(F, run)


@lru_cache(1)
def _dispatchers() -> dict[str, Callable[..., Any]]:
    """Return the compiled functions by name.

    The compiler takes half a second to import, so only commands that finish something do.
    """
    import numba

    made: dict[str, Callable[..., Any]] = {
        written.__name__: numba.njit(cache=True, nogil=True, error_model="numpy")(written)
        for written in _WRITTEN
    }
    globals().update(made)  # functions that call others find them compiled
    return made


@compiled
def sample(value: float) -> np.uint16:
    """Return a value as a sample."""
    return np.uint16(min(65535.0, max(0.0, np.rint(value))))


@compiled
def kept(value: float, threshold: float) -> float:
    """v² ÷ (v² + t²): near 0 for values below the threshold, near 1 for those above it."""
    square = value * value
    return square / (square + threshold * threshold + 1e-6)


@compiled
def lightness(planes: Planes) -> Plane:
    """Return luma of each pixel."""
    _, height, width = planes.shape
    made = np.empty((height, width), np.uint16)
    for y in range(height):
        for x in range(width):
            made[y, x] = sample(
                RED * planes[0, y, x] + GREEN * planes[1, y, x] + BLUE * planes[2, y, x]
            )
    return made


@compiled
def chroma(plane: Plane, light: Plane) -> Plane:
    """Return the difference of a colour from the lightness, halved and offset so that it fits into 16
    bits.
    """
    made = np.empty_like(plane)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            made[y, x] = (np.int64(plane[y, x]) - np.int64(light[y, x]) + 65535) >> 1
    return made


@compiled
def lightened(planes: Planes, change: Values) -> Planes:
    """Add the same change to all colours, which moves the lightness and keeps the hue."""
    made = np.empty_like(planes)
    for at in range(3):
        for y in range(change.shape[0]):
            for x in range(change.shape[1]):
                made[at, y, x] = sample(planes[at, y, x] + change[y, x])
    return made


@compiled
def recoloured(planes: Planes, red: Values, blue: Values) -> Planes:
    """Add changes to red and blue, and to green what keeps the lightness."""
    made = np.empty_like(planes)
    for y in range(red.shape[0]):
        for x in range(red.shape[1]):
            green = -(RED * red[y, x] + BLUE * blue[y, x]) / GREEN
            made[0, y, x] = sample(planes[0, y, x] + red[y, x])
            made[1, y, x] = sample(planes[1, y, x] + green)
            made[2, y, x] = sample(planes[2, y, x] + blue[y, x])
    return made


@compiled
def hold(change: Values, plane: Plane, low: Plane, high: Plane, halo: float) -> None:
    """Limit a change so that no value leaves the range around it by more than a fraction of that range."""
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            beyond = halo * (float(high[y, x]) - low[y, x])
            least = float(low[y, x]) - plane[y, x] - beyond
            most = float(high[y, x]) - plane[y, x] + beyond
            change[y, x] = min(most, max(least, change[y, x]))


@compiled
def apart(one: Plane, other: Plane) -> Plane:
    """Return the absolute difference of two planes."""
    made = np.empty_like(one)
    for y in range(one.shape[0]):
        for x in range(one.shape[1]):
            made[y, x] = abs(np.int64(one[y, x]) - np.int64(other[y, x]))
    return made


@compiled
def move_towards(plane: Plane, smooth: Plane, limit: float, down: Values, across: Values) -> Plane:
    """Move a plane towards a smooth one where they differ by less than the limit, by row and column
    weights.
    """
    made = np.empty_like(plane)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            step = float(smooth[y, x]) - plane[y, x]
            weight = down[y] * across[x] * (1 - kept(step, limit))
            made[y, x] = sample(plane[y, x] + step * weight)
    return made


@compiled
def moved_beside_edges(
    plane: Plane, smooth: Plane, limit: float, strong: Plane, edge: float, amount: float
) -> Plane:
    """Return a plane moved towards a smooth one where they differ by little and something strong is near."""
    made = np.empty_like(plane)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            step = float(smooth[y, x]) - plane[y, x]
            weight = amount * kept(strong[y, x], edge) * (1 - kept(step, limit))
            made[y, x] = sample(plane[y, x] + step * weight)
    return made


@compiled
def add_noise_of(noise: Values, finer: Plane, coarser: Plane, limit: float, factor: float) -> None:
    """Add to ``noise`` the noise in the band between two blurs, times a factor."""
    for y in range(finer.shape[0]):
        for x in range(finer.shape[1]):
            band = float(finer[y, x]) - coarser[y, x]
            noise[y, x] += factor * band * (1 - kept(band, limit))


@compiled
def excess(
    colour: Plane, opened: Plane, closed: Plane, strong: Plane, edge: float, amount: float
) -> Values:
    """Return what to add to a colour to level narrow ridges beside strong edges.

    ``opened`` and ``closed`` are the colour without ridges towards either side of grey.
    """
    made = np.zeros(colour.shape, np.float32)
    for y in range(colour.shape[0]):
        for x in range(colour.shape[1]):
            own = float(colour[y, x]) - MIDDLE
            level = (
                max(0.0, float(opened[y, x]) - MIDDLE)
                if own > 0
                else min(0.0, float(closed[y, x]) - MIDDLE)
            )
            made[y, x] = 2 * (level - own) * amount * kept(strong[y, x], edge)
    return made


@compiled
def corrected(guess: Plane, seen: Plane, blurred_guess: Plane) -> Plane:
    """Return an estimate plus the difference between the observed picture and the estimate's blur."""
    made = np.empty_like(guess)
    for y in range(guess.shape[0]):
        for x in range(guess.shape[1]):
            made[y, x] = sample(float(guess[y, x]) + seen[y, x] - blurred_guess[y, x])
    return made


@compiled
def difference(one: Plane, other: Plane) -> Values:
    """one − other."""
    made = np.empty(one.shape, np.float32)
    for y in range(one.shape[0]):
        for x in range(one.shape[1]):
            made[y, x] = float(one[y, x]) - other[y, x]
    return made


@compiled
def looked_up(planes: Planes, tables: Planes) -> Planes:
    """Return each colour through its own table (3, 65536)."""
    made = np.empty_like(planes)
    for at in range(3):
        for y in range(planes.shape[1]):
            for x in range(planes.shape[2]):
                made[at, y, x] = tables[at, planes[at, y, x]]
    return made


@compiled
def stretched(plane: Plane, mean: float, stretch: float, shift: float, factor: float) -> Values:
    """Return the change of a plane to another mean and spread, times a factor."""
    made = np.empty(plane.shape, np.float32)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            made[y, x] = factor * ((float(plane[y, x]) - mean) * (stretch - 1) + shift)
    return made


@compiled
def shifted(planes: Planes, shift: Values, amount: float) -> Planes:
    """Return each colour with its own weight field (height, width, 3)."""
    made = np.empty_like(planes)
    for at in range(3):
        for y in range(planes.shape[1]):
            for x in range(planes.shape[2]):
                made[at, y, x] = sample(planes[at, y, x] + amount * shift[y, x, at])
    return made


@compiled
def colour_change(plane: Plane, light: Plane, saturation: float, warmth: float) -> Values:
    """Return the change of a colour that makes it more or less colourful, and warmer."""
    made = np.empty(plane.shape, np.float32)
    for y in range(plane.shape[0]):
        for x in range(plane.shape[1]):
            made[y, x] = (float(plane[y, x]) - light[y, x]) * saturation + light[y, x] * warmth
    return made


@compiled
def set_off(light: Plane, around: Values, amount: float, soft: float) -> Values:
    """Change of lightness away from its surroundings, least in shadows and lights.

    Differences of ``soft`` count half as much as small ones.
    """
    made = np.empty(light.shape, np.float32)
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            far = float(light[y, x]) - around[y, x]
            tone = light[y, x] / 65535.0
            made[y, x] = amount * 4 * tone * (1 - tone) * far / (1 + abs(far) / soft)
    return made


@compiled
def steeper(
    light: Plane, smooth: Plane, strength: Plane,
    amount: float, threshold: float, edges: float, edge: float,
) -> Values:  # fmt: skip
    """Change of lightness away from its blur: less by the threshold, and where no edge is."""
    made = np.empty(light.shape, np.float32)
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            detail = float(light[y, x]) - smooth[y, x]
            size = abs(detail)
            weight = amount * max(0.0, 1 - threshold / max(size, 1.0))
            made[y, x] = detail * weight * (1 - edges + edges * kept(strength[y, x], edge))
    return made


@compiled
def grained(
    planes: Planes, light: Plane, noise: Planes,
    amount: float, shadows: float, lights: float, colour: float,
) -> Planes:  # fmt: skip
    """Add grain, the most in the middle tones.

    ``noise`` is (1 or 3, height, width) around half of white; ``amount`` is what one step of it weighs.
    """
    made = np.empty_like(planes)
    own = noise.shape[0] == 3
    # deviation of the mixture: the shared grain has a third of each colour's own
    scale = 1 / np.sqrt(colour**2 + (1 - colour) ** 2 + 2 * colour * (1 - colour) / np.sqrt(3.0))
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            tone = light[y, x] / 65535.0
            ends = shadows if tone < 0.5 else lights
            much = amount * (ends + (1 - ends) * 4 * tone * (1 - tone))
            if not own:
                for at in range(3):
                    made[at, y, x] = sample(planes[at, y, x] + much * (noise[0, y, x] - 32767.5))
            else:
                total = (
                    noise[0, y, x] - 32767.5 + noise[1, y, x] - 32767.5 + noise[2, y, x] - 32767.5
                )
                for at in range(3):
                    here = colour * (noise[at, y, x] - 32767.5) + (1 - colour) * total / np.sqrt(
                        3.0
                    )
                    made[at, y, x] = sample(planes[at, y, x] + much * scale * here)
    return made
