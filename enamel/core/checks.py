"""Measures of a result: how visible the joins of its tiles are.

A join shows as a step in tone or as a change of texture along a straight line. Both are measured on
what the refinement added (result − source), so that edges of the picture itself do not count, and
compared with the same statistic at places beside the join, where no join can be.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from enamel.core.canvas import WHITE, FloatArray, Picture
from enamel.core.colour import luma
from enamel.core.geometry import Box
from enamel.core.tiling import Grid

SEGMENT = 64
"""Length of the pieces that a join is judged in, px."""
NEAR = 12
"""Width of what is averaged on either side of a join, px."""
BESIDE = 160
"""How far beside a join the statistic is taken for comparison, px."""
ALARM = 4.0
"""A z-score above which a segment counts as visible."""
MAD_TO_SIGMA = 1.4826
"""Standard deviation of a normal distribution over its median absolute deviation."""


@dataclass(frozen=True, slots=True)
class JoinSegment:
    """A piece of a join. ``step`` and ``texture`` are z-scores against places beside it."""

    box: Box
    step: float
    texture: float

    @property
    def score(self) -> float:
        return max(self.step, self.texture)


@dataclass(frozen=True, slots=True)
class JoinReport:
    """How visible the joins of a picture are."""

    segments: tuple[JoinSegment, ...]

    @property
    def visible(self) -> list[JoinSegment]:
        """Segments above the alarm, the worst first."""
        found = [segment for segment in self.segments if segment.score > ALARM]
        return sorted(found, key=lambda segment: -segment.score)

    @property
    def mean(self) -> float:
        """Mean z-score over all segments: 0 where joins are like any other place."""
        if not self.segments:
            return 0.0
        return float(np.mean([(s.step + s.texture) / 2 for s in self.segments]))


def check_joins(
    result: Picture, source: Picture, grid: Grid, window: Box | None = None
) -> JoinReport:
    """Visibility of every join of a grid of tiles, or of those within a window.

    Parameters
    ----------
    result : refined picture.
    source : what was refined: the enlarged picture, of the same size.
    grid : the tiles. Joins that lie too near to the picture's edge to be compared are left out.
    window : the part of the grid's picture that result and source are; segments are given in its px.
    """
    vertical, horizontal = grid.joins
    seen = window or Box.whole(result.size)
    columns = _within(vertical, _overlaps(grid.columns, grid.tile.width), seen.x, seen.right)
    rows = _within(horizontal, _overlaps(grid.rows, grid.tile.height), seen.y, seen.bottom)
    segments = [
        *_along(result, source, *columns, False),
        *_along(result, source, *rows, True),
    ]
    return JoinReport(tuple(segments))


def _within(
    joins: list[float], overlaps: list[int], start: int, end: int
) -> tuple[list[float], list[int]]:
    """The joins between two places, counted from the first, with their overlaps."""
    found = [
        (join - start, overlap)
        for join, overlap in zip(joins, overlaps, strict=True)
        if start < join < end
    ]
    return [join for join, _ in found], [overlap for _, overlap in found]


def _overlaps(origins: list[int], tile: int) -> list[int]:
    return [before + tile - after for before, after in pairwise(origins)]


def _along(
    result: Picture, source: Picture, joins: list[float], overlaps: list[int], lying: bool
) -> list[JoinSegment]:
    size = result.size
    width, height = (size.height, size.width) if lying else (size.width, size.height)
    found: list[JoinSegment] = []
    for join, overlap in zip(joins, overlaps, strict=True):
        gap = overlap // 2
        middle = round(join)
        left = max(0, middle - gap - NEAR - BESIDE)
        right = min(width, middle + gap + NEAR + BESIDE)
        if middle - left < gap + 3 * NEAR or right - middle < gap + 3 * NEAR:
            continue
        steps, textures = [], []
        for start in range(0, height - SEGMENT + 1, SEGMENT):
            strip = Box(left, start, right - left, SEGMENT)
            added = _added(result, source, strip.transposed if lying else strip)
            tone, energy = _profiles(added.T if lying else added)
            steps.append(_steps(tone, gap))
            textures.append(_textures(energy, gap))
        step = _scores(np.array(steps), middle - left, gap)
        texture = _scores(np.array(textures), middle - left, gap)
        for number, (s, t) in enumerate(zip(step, texture, strict=True)):
            box = Box(middle - gap, number * SEGMENT, 2 * gap, SEGMENT)
            box = (box.transposed if lying else box).intersection(Box.whole(size))
            found.append(JoinSegment(box, float(s), float(t)))
    return found


def _added(result: Picture, source: Picture, box: Box) -> FloatArray:
    """Luma of what refining added, in shares of white."""
    one = result.read(box)[..., :3].astype(np.float32)
    return luma(one - source.read(box)[..., :3]) / np.float32(WHITE)


def _profiles(added: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Mean tone, and mean energy of fine texture, of each column."""
    fine = added[:, 1:] - added[:, :-1]
    fine = np.concatenate([fine, fine[:, -1:]], axis=1)
    return added.mean(axis=0), (fine * fine).mean(axis=0, dtype=np.float32)


def _steps(tone: FloatArray, gap: int) -> FloatArray:
    """|difference of mean tone on both sides| at each place: directly at it, or across the overlap."""
    total = np.concatenate([[0.0], np.cumsum(tone, dtype=np.float64)])
    out = np.full(len(tone), np.nan)
    for distance in {0, gap}:
        reach = distance + NEAR
        place = np.arange(reach, len(tone) - reach)
        after = total[place + reach] - total[place + distance]
        before = total[place - distance] - total[place - reach]
        out[place] = np.fmax(out[place], np.abs(after - before) / NEAR)
    return out.astype(np.float32)


def _textures(energy: FloatArray, gap: int) -> FloatArray:
    """|log ratio of texture at a place and beside the overlap around it|."""
    total = np.concatenate([[0.0], np.cumsum(energy, dtype=np.float64)])
    half = NEAR // 2
    reach = gap + NEAR
    out = np.full(len(energy), np.nan)
    place = np.arange(reach, len(energy) - reach)
    inside = (total[place + half] - total[place - half]) / (2 * half)
    after = total[place + reach] - total[place + gap]
    before = total[place - gap] - total[place - reach]
    floor = 1e-9
    out[place] = np.abs(np.log((inside + floor) / ((after + before) / (2 * NEAR) + floor)))
    return out.astype(np.float32)


def _scores(values: FloatArray, join: int, gap: int) -> NDArray[np.float64]:
    """z of each segment's value at the join against its values beside it, spread pooled."""
    place = np.arange(values.shape[1])
    beside = np.abs(place - join) > gap + NEAR
    others = np.where(beside, values, np.nan)
    usual = np.nanmedian(others, axis=1)
    # half from the segment, half from all, so that a very quiet one is not alarmed by next to nothing
    spread = MAD_TO_SIGMA * np.nanmedian(np.abs(others - usual[:, None]), axis=1)
    pooled = (spread + np.median(spread)) / 2 + 1e-7
    here: NDArray[np.float64] = (values[:, join] - usual) / pooled
    return np.nan_to_num(here)
