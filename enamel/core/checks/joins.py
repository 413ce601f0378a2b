"""Visibility of the joins between a result's tiles.

A join shows as a step in tone or as a change of texture along a straight line. Both are measured on the
refinement's contribution (result − source), so that edges of the picture itself do not count, and
compared with the same statistic at places beside the join, where there is no join.
"""

from dataclasses import dataclass, replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.checks.findings import Cure, Finding, Kind, Map, Severity
from enamel.core.checks.pairs import MAD_TO_SIGMA
from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of
from enamel.core.schedule import Coat, JoinPass, Mode, Order, Refine
from enamel.core.tiling.grid import Grid
from enamel.core.tiling.passes import work_of
from enamel.core.tiling.passspec import PassSpec

SEGMENT = 64
"""Length of a join's segments, px."""
NEAR = 12
"""Width of the averages on either side of a join, px."""
BESIDE = 160
"""Range beside a join in which the statistic is taken for comparison, px."""
ALARM = 4.0
"""Least score of a visible segment; `docs/research/checks.md` says how it was set."""
SURE = 9.0
"""Score that chance did not reach on any picture, so that it always counts as visible."""
FALSE_ALARMS = 0.01
"""Fraction of pictures without a visible join in which one may be reported."""
TAIL = (0.9, 0.97)
"""Quantiles of the scores beside the joins between which their tail is fitted; the few beyond may be real
edges added by refining.
"""
HEAVIER = 1.7
"""How much slower the tail is assumed to fall farther out."""
LEAST_BESIDE = 200
"""Least number of scores beside the joins for fitting a tail."""
TEXTURE_WEIGHT = 0.5
"""Weight of z-scores of texture: they have a longer tail."""
BUSY_SIDE = 15
"""Side of the square in which the picture's own contrast is measured, px."""
BUSY = 4 / 255
"""Its standard deviation, as fractions of white, at which a change counts half."""
HIDDEN = 0.05
"""Regularisation: weight of the mean of both places, in multiples of a place's pixels."""
QUIET_STEP = 0.2 / 255
"""Added to the spread of steps: a step of a fraction of a level is invisible."""
QUIET_CHANGE = 0.1
"""Added to the spread of changes of texture, as a logarithm of energy: a tenth is invisible."""
QUIET_TEXTURE = (0.3 / 255) ** 2
"""Energy of texture, in squared fractions of white, below which changes are invisible."""


@dataclass(frozen=True, slots=True)
class JoinSegment:
    """A segment of a join, with z-scores against places beside it."""

    box: Box
    vertical: bool
    direct: float
    """Of the step in tone right at the join."""
    across: float
    """Of the step in tone from one side of the overlap to the other."""
    texture: float
    """Of the change of texture within the overlap."""
    levels: float
    """The step in tone in 8-bit levels."""

    @property
    def step(self) -> float:
        return max(self.direct, self.across)

    @property
    def score(self) -> float:
        """How conspicuous it is, in spreads of places beside it."""
        return max(self.step, TEXTURE_WEIGHT * self.texture)


@dataclass(frozen=True, slots=True)
class JoinReport:
    """How visible the joins of a picture are."""

    segments: tuple[JoinSegment, ...]
    alarm: float = ALARM
    """The score above which a segment of this picture counts as visible."""

    @property
    def visible(self) -> list[JoinSegment]:
        """Segments above the alarm, the worst first."""
        found = [segment for segment in self.segments if segment.score > self.alarm]
        return sorted(found, key=lambda segment: -segment.score)

    @property
    def mean(self) -> float:
        """Mean z-score over all segments: 0 where joins are like any other place."""
        if not self.segments:
            return 0.0
        return float(np.mean([(s.direct + s.across + s.texture) / 3 for s in self.segments]))


def check_joins(
    result: Picture, source: Picture, grid: Grid, window: Box | None = None
) -> JoinReport:
    """Return the visibility of every join of a grid of tiles, or of those within a window.

    Parameters
    ----------
    result : refined picture.
    source : the picture that was refined: the enlarged one, of the same size.
    grid : the tiles. Joins that lie too near to the picture's edge to be compared are left out.
    window : the part of the grid's picture that result and source are; segments are given in its px.
    """
    vertical, horizontal = grid.joins
    seen = window or Box.whole(result.size)
    columns = _within(vertical, _overlaps(grid.columns, grid.tile.width), seen.x, seen.right)
    rows = _within(horizontal, _overlaps(grid.rows, grid.tile.height), seen.y, seen.bottom)
    found = [
        *_along(result, source, *columns, False),
        *_along(result, source, *rows, True),
    ]
    segments = tuple(segment for segment, _ in found)
    beside = np.concatenate([scores for _, scores in found]) if found else np.empty(0)
    return JoinReport(segments, alarm_for(beside, len(segments)))


def alarm_for(beside: NDArray[np.float64], count: int) -> float:
    """Return the score that hardly any of ``count`` segments without a visible join reaches.

    Scores at places without a join show how conspicuous places of this picture are by chance. The maximum
    of more segments is larger, so the alarm is the score that their maximum exceeds in `FALSE_ALARMS` of
    such pictures (family-wise). It lies beyond what was seen: the tail of the scores is continued as an
    exponential.

    Parameters
    ----------
    beside : scores at places beside the joins.
    count : segments that are judged.

    Returns
    -------
    From `ALARM` to `SURE`.
    """
    if count == 0 or len(beside) < LEAST_BESIDE:
        return ALARM
    near, far = (float(np.quantile(beside, fraction)) for fraction in TAIL)
    fall = HEAVIER * (far - near) / np.log((1 - TAIL[0]) / (1 - TAIL[1]))
    farthest = near + float(fall * np.log((1 - TAIL[0]) * count / FALSE_ALARMS))
    return min(max(ALARM, farthest), SURE)


def findings_of(report: JoinReport) -> list[Finding]:
    """Return the visible segments as findings; neighbours along the same join are one."""
    runs: list[list[JoinSegment]] = []
    for segment in sorted(report.visible, key=lambda one: (one.box.x, one.box.y)):
        run = next((run for run in runs if _adjoin(run[-1], segment)), None)
        if run is None:
            runs.append([segment])
        else:
            run.append(segment)
    found = []
    for run in runs:
        box = run[0].box
        for segment in run[1:]:
            box = box.around(segment.box)
        worst = max(run, key=lambda one: one.score)
        way = "vertical" if worst.vertical else "horizontal"
        length = box.height if worst.vertical else box.width
        shows = (
            f"as a step of {worst.levels:.1f} levels"
            if worst.step >= TEXTURE_WEIGHT * worst.texture
            else "as a change of texture"
        )
        words = f"A {way} join of tiles shows {shows} along {length} px (z {worst.score:.1f})."
        found.append(
            Finding(
                Kind.JOIN, Severity.of(worst.score / report.alarm), box, worst.score, "z", words
            )
        )
    return found


def chart(report: JoinReport, size: Size) -> Map:
    """Return a map of the scores, 0 where none was measured."""
    cell = max(size) / Map.LONGEST
    rows, columns = (max(1, round(side / cell)) for side in (size.height, size.width))
    values = np.zeros((rows, columns), np.float32)
    for segment in report.segments:
        box = segment.box
        place = (
            slice(int(box.y / cell), int(box.bottom / cell) + 1),
            slice(int(box.x / cell), int(box.right / cell) + 1),
        )
        values[place] = np.maximum(values[place], segment.score)
    return Map(values, "z", report.alarm)


def _adjoin(one: JoinSegment, other: JoinSegment) -> bool:
    """Return whether a segment continues another of the same join."""
    if one.vertical != other.vertical:
        return False
    if one.vertical:
        return one.box.x == other.box.x and one.box.bottom == other.box.y
    return one.box.y == other.box.y and one.box.right == other.box.x


def cures(coat: Coat, start: Size) -> tuple[Cure, ...]:
    """Return changes that make the joins of a coat less visible, with the network's work relative to the
    present.

    Parameters
    ----------
    start : size of what the coat enlarges.
    """
    refine = coat.refinement
    if refine is None or refine.mode is Mode.JOINT:
        return ()
    wider = min(min(refine.tile) // 2, max(2 * refine.overlap_px, 64))
    tried = (
        (f"Overlap {wider} px", "overlap", replace(refine, overlap=wider, overlap_fraction=None)),
        ("A pass over the joins", "joins", replace(refine, joins=refine.joins or JoinPass())),
        ("Joint mode", "mode", replace(refine, mode=Mode.JOINT, joins=None, order=Order.ROWS)),
    )
    now = _work(coat, refine, start)
    found = []
    for words, setting, changed in tried:
        try:
            work = _work(coat, changed, start)
        except Refusal:  # joint mode, with a network that looks at the whole tile
            continue
        if changed != refine:
            found.append(Cure(words, setting, work / now))
    return tuple(sorted(found, key=lambda cure: cure.work))


def _work(coat: Coat, refine: Refine, start: Size) -> float:
    return work_of(PassSpec.of(refine, coat.size_from(start))).megapixels


def _within(
    joins: list[float], overlaps: list[int], start: int, end: int
) -> tuple[list[float], list[int]]:
    """Return the joins between two places, counted from the first, with their overlaps."""
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
) -> list[tuple[JoinSegment, NDArray[np.float64]]]:
    """Return the segments of some joins, each with the scores of places beside it."""
    size = result.size
    width, height = (size.height, size.width) if lying else (size.width, size.height)
    found: list[tuple[JoinSegment, NDArray[np.float64]]] = []
    for join, overlap in zip(joins, overlaps, strict=True):
        gap = overlap // 2
        middle = round(join)
        left = max(0, middle - gap - NEAR - BESIDE)
        right = min(width, middle + gap + NEAR + BESIDE)
        if middle - left < gap + 3 * NEAR or right - middle < gap + 3 * NEAR:
            continue
        direct, across, textures = [], [], []
        for start in range(0, height - SEGMENT + 1, SEGMENT):
            strip = Box(left, start, right - left, SEGMENT)
            added, shows = _added(result, source, strip.transposed if lying else strip)
            if lying:
                added, shows = added.T, shows.T
            tone, energy = _Profile(added, shows), _Profile(_fine(added), shows * shows)
            direct.append(_steps(tone, 0))
            across.append(_steps(tone, gap))
            textures.append(_textures(energy, gap))
        here = middle - left
        scores = [
            _scores(np.array(values), here, gap, least)
            for values, least in (
                (direct, QUIET_STEP),
                (across, QUIET_STEP),
                (textures, QUIET_CHANGE),
            )
        ]
        stood_out = _beside(scores, [round(one) - left for one in joins], gap)
        for number, (at, wide, texture) in enumerate(
            np.transpose([one[:, here] for one in scores])
        ):
            box = Box(middle - gap, number * SEGMENT, 2 * gap, SEGMENT)
            box = (box.transposed if lying else box).intersection(Box.whole(size))
            levels = 255 * float((direct if at >= wide else across)[number][here])
            segment = JoinSegment(box, not lying, float(at), float(wide), float(texture), levels)
            found.append((segment, stood_out[number]))
    return found


def _beside(scores: list[NDArray[np.float64]], joins: list[int], gap: int) -> NDArray[np.float64]:
    """Return scores of each segment at places beside all joins, (segments, places): every `NEAR` px,
    because nearer ones share pixels.
    """
    direct, across, texture = scores
    combined = np.maximum(np.maximum(direct, across), TEXTURE_WEIGHT * texture)
    places = np.arange(combined.shape[1])
    nearest = np.min([np.abs(places - join) for join in joins], axis=0)
    used = (nearest > gap + NEAR) & (places % NEAR == 0)
    kept: NDArray[np.float64] = combined[:, used]
    return kept


def _added(result: Picture, source: Picture, box: Box) -> tuple[FloatArray, FloatArray]:
    """Return the luma added by refining, as fractions of white, and its visibility at each pixel.

    A change of tone common to the whole strip is removed first, by linear regression of result on source,
    so that a change of contrast does not show the picture's own edges.
    """
    after, before = (luma_of(part.read(box)) for part in (result, source))
    after, before = after - after.mean(), before - before.mean()
    gain = float((after * before).sum() / ((before * before).sum() + 1e-9))
    return after - np.float32(gain) * before, _quiet(before)


def _quiet(before: FloatArray) -> FloatArray:
    """Return the visibility of a change at each pixel: 1 in flat areas, near 0 in busy ones.

    Edges and texture hide small changes, and refining adds most there: along an edge of the picture that
    coincides with a join, its contribution would look like the join.
    """
    mean, square = (cv2.blur(part, (BUSY_SIDE, BUSY_SIDE)) for part in (before, before * before))
    variance = np.maximum(square - mean * mean, 0)
    quiet: FloatArray = np.float32(BUSY**2) / (np.float32(BUSY**2) + variance)
    return quiet


class _Profile:
    """Sums over columns of a strip: of values, and of their visibility."""

    def __init__(self, values: FloatArray, shows: FloatArray) -> None:
        both = np.stack([(values * shows).mean(axis=0), shows.mean(axis=0)]).astype(np.float64)
        self.sums = np.pad(np.cumsum(both, axis=1), ((0, 0), (1, 0)))
        self.width = values.shape[1]

    def between(self, start: NDArray[np.intp], end: NDArray[np.intp]) -> NDArray[np.float64]:
        """Return sum of values and of weights over columns start … end−1, (2, …)."""
        found: NDArray[np.float64] = self.sums[:, end] - self.sums[:, start]
        return found

    @staticmethod
    def means(
        one: NDArray[np.float64], other: NDArray[np.float64], counts: tuple[int, int]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return the means of two places, weighted by visibility; a hardly visible one is moved towards
        the mean of both.
        """
        both = one + other
        common = both[0] / np.maximum(both[1], 1e-9)
        first, second = (
            (part[0] + HIDDEN * count * common) / (part[1] + HIDDEN * count)
            for part, count in zip((one, other), counts, strict=True)
        )
        return first, second


def _steps(tone: _Profile, distance: int) -> FloatArray:
    """|difference of mean tone on both sides| at each place: directly at it, or so far on either side."""
    out = np.full(tone.width, np.nan)
    reach = distance + NEAR
    place = np.arange(reach, tone.width - reach)
    after = tone.between(place + distance, place + reach)
    before = tone.between(place - reach, place - distance)
    right, left = tone.means(after, before, (NEAR, NEAR))
    out[place] = np.abs(right - left)
    return out.astype(np.float32)


def _textures(energy: _Profile, gap: int) -> FloatArray:
    """|log ratio of texture at a place and beside the overlap around it|."""
    half = NEAR // 2
    reach = gap + NEAR
    out = np.full(energy.width, np.nan)
    place = np.arange(reach, energy.width - reach)
    inside = energy.between(place - half, place + half)
    beside = energy.between(place + gap, place + reach) + energy.between(place - reach, place - gap)
    here, around = energy.means(inside, beside, (2 * half, 2 * NEAR))
    out[place] = np.abs(np.log((here + QUIET_TEXTURE) / (around + QUIET_TEXTURE)))
    return out.astype(np.float32)


def _fine(added: FloatArray) -> FloatArray:
    """Return energy of fine texture: of the difference of each pixel and the next."""
    fine = np.diff(added, axis=1, append=added[:, -1:])
    return fine * fine


def _scores(values: FloatArray, join: int, gap: int, least: float) -> NDArray[np.float64]:
    """z of each segment's value at every place against its values beside the join.

    ``least`` is added to the spread.
    """
    place = np.arange(values.shape[1])
    beside = np.abs(place - join) > gap + NEAR
    others = np.where(beside, values, np.nan)
    if not np.isfinite(others[0]).any():  # too near to an edge for places beside it
        return np.zeros(values.shape)
    usual = np.nanmedian(others, axis=1)
    spread = MAD_TO_SIGMA * np.nanmedian(np.abs(others - usual[:, None]), axis=1)
    # at least the usual spread, so that a very quiet one does not raise an alarm for nothing
    pooled = np.maximum(spread, np.median(spread)) + least
    found: NDArray[np.float64] = (values - usual[:, None]) / pooled[:, None]
    return np.nan_to_num(found)
