"""Detail: lost, invented, ringing at edges, banded, clipped.

Lost and invented detail are judged at two scales: the base's texture at the base's resolution, where a
result may be sharper but not flatter; and detail finer than the base's pixels, where each place is
compared with the rest of the picture.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from enamel.core.checks.findings import Finding, Kind, Map, Severity, regions
from enamel.core.checks.pairs import CELL, MAD_TO_SIGMA, Pair, blurred, cell_means
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, FloatArray
from enamel.core.imaging.colour import luma

LEVEL = np.float32(1 / 255)

FLATTENED_ALARM = 0.35
"""Natural logarithm of the base's contrast over the result's, in the base's fine texture."""
TEXTURE = 1.0 * LEVEL
"""Contrast of the base below which there is no detail to lose."""
FINE_LOST, FINE_INVENTED = 3.0, 5.0
"""Deviation of fine detail from the picture's own relation to its base, in spreads, down and up."""
NOISE = 0.25 * LEVEL
"""Contrast below which there is none."""
SEEN = 1.5 * LEVEL
"""Contrast of fine detail above which invented detail is visible."""
LEAST_CELLS = 8

EDGE = np.float32(0.15)
"""Local range of the base, as fractions of white, from which it counts as an edge."""
HALO_ALARM = 0.06
"""Mean overshoot at the edges of a cell, as a fraction of the edge's range."""
LEAST_EDGE_CELLS = 4

FLAT = 0.25 * LEVEL
FLAT_FRACTION = 0.45
"""Fraction of px without change between the steps of a banded place."""
STEPS = 1.0 * LEVEL, 12 * LEVEL
"""Steps between neighbouring px that make bands: larger ones are edges."""
SMOOTH = 3 * LEVEL
"""Steepest gradient of the base, per px, where bands can be seen."""
BANDING_ALARM = 0.5
"""Fraction of a smooth cell's change of tone that is in steps."""

BLACK, FULL = 51, WHITE - 51
"""Samples beyond these count as clipped: a fifth of an 8-bit level from the end."""
CLIPPING_ALARM = 0.3
"""Fraction of a cell's px that are clipped and were not in the base."""

STRIP_PIXELS = 1_000_000
"""Px of the result that are processed together."""


@dataclass(frozen=True)
class Detail:
    """Detail for each cell, and what was found."""

    lost: FloatArray
    """Lost detail, as a multiple of the threshold."""
    invented: FloatArray
    """Fine detail beyond what the base suggests, in spreads; 0 where it is invisible."""
    halo: FloatArray
    measures: dict[str, float]
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class Scan:
    """Means over cells of the result, at its own resolution."""

    energy: FloatArray
    """Mean square of detail finer than the base's px."""
    flat: FloatArray
    """Share of px that equal their neighbours."""
    change: FloatArray
    """Mean change between neighbours."""
    stepped: FloatArray
    """The part of it that is in `STEPS`."""
    clipped: FloatArray
    gradient: float
    """Mean square of the gradient."""


def check_detail(pair: Pair) -> Detail:
    """Lost and invented detail, halos, banding and clipping."""
    scan = scanned(pair)
    fine = _fine(pair, scan.energy)
    lost = np.maximum(_flattened(pair) / FLATTENED_ALARM, -fine / FINE_LOST).astype(np.float32)
    invented = np.where(scan.energy > SEEN**2, fine, 0).astype(np.float32)
    halo, banding = _halo(pair), _banding(pair, scan)
    clipped = scan.clipped - _clipped_before(pair)
    findings = [
        *_of(pair, lost, 1.0, LEAST_CELLS, Kind.LOST, "times the threshold",
             "Texture is lost here: flatter than the base or than the rest of the result."),
        *_of(pair, invented, FINE_INVENTED, LEAST_CELLS, Kind.INVENTED, "spreads",
             "Much finer detail stands here than the base gives reason for."),
        *_of(pair, halo, HALO_ALARM, LEAST_EDGE_CELLS, Kind.HALO, "of the edge",
             "Edges have halos here: {percent:.0f}\u00a0% of their contrast."),
        *_of(pair, banding, BANDING_ALARM, LEAST_CELLS, Kind.BANDING, "of the tones",
             "A smooth tone is broken into bands here."),
        *_of(pair, clipped, CLIPPING_ALARM, LEAST_CELLS, Kind.CLIPPING, "of the pixels",
             "Tones are clipped here that were not in the base: {percent:.0f}\u00a0% of the pixels."),
    ]  # fmt: skip
    measures = {
        "sharpness": 100 * float(np.sqrt(scan.gradient)),
        "lost": 100 * float((lost > 1).mean()),
        "invented": 100 * float((invented > FINE_INVENTED).mean()),
        "halos": 100 * float(halo.mean()),
        "banding": 100 * float((banding > BANDING_ALARM).mean()),
        "clipping": 100 * float(max(0.0, clipped.mean())),
    }
    return Detail(lost, invented, halo, measures, tuple(findings))


def charts(detail: Detail) -> dict[str, Map]:
    return {
        "lost": Map(np.maximum(detail.lost, 0), "times the threshold", 1.0),
        "invented": Map(np.maximum(detail.invented, 0), "spreads", FINE_INVENTED),
        "halos": Map(detail.halo, "of the edge", HALO_ALARM),
    }


def scanned(pair: Pair) -> Scan:
    """Measure the result in one pass, in strips of whole rows of cells."""
    columns, rows = -(-pair.size.width // CELL), -(-pair.size.height // CELL)
    size = pair.result.size
    sigma = max(0.7, 0.5 * pair.scale[1])
    margin = int(np.ceil(3 * sigma)) + 1
    height = max(1, int(STRIP_PIXELS / size.width / pair.cell[1]))
    parts: list[list[FloatArray]] = []
    gradient = 0.0
    for row in range(0, rows, height):
        last = min(rows, row + height)
        top, bottom = round(row * pair.cell[1]), min(size.height, round(last * pair.cell[1]))
        around = Box.between(0, max(0, top - margin), size.width, min(size.height, bottom + margin))
        samples = pair.result.read(around)[..., :3]
        inner = slice(top - around.y, bottom - around.y)
        tone = luma(samples.astype(np.float32) * np.float32(1 / WHITE))
        fine = (tone - blurred(tone, sigma))[inner]
        tone, kept = tone[inner], samples[inner]
        clipped = ((kept <= BLACK) | (kept >= FULL)).any(axis=2)
        across, down = np.zeros_like(tone), np.zeros_like(tone)
        across[:, 1:], down[1:] = np.abs(np.diff(tone, axis=1)), np.abs(np.diff(tone, axis=0))
        change = np.maximum(across, down)
        stepped = np.where((change >= STEPS[0]) & (change <= STEPS[1]), change, 0)
        gradient += float(np.square(across).sum() + np.square(down).sum())
        cells = columns, last - row
        seen = (fine * fine, change < FLAT, stepped, change, clipped)
        parts.append([_onto(field, cells) for field in seen])
    fields = [np.concatenate([part[number] for part in parts]) for number in range(5)]
    energy, flat, stepped, moved, ends = fields
    area = size.width * size.height
    return Scan(energy, flat, moved, stepped, ends, gradient / area)


def _onto(values: Any, cells: tuple[int, int]) -> FloatArray:
    """Return means over the cells of a strip, whose sides need not be multiples of the cell."""
    means: FloatArray = cv2.resize(values.astype(np.float32), cells, interpolation=cv2.INTER_AREA)
    return means


def _flattened(pair: Pair) -> FloatArray:
    """ln of the base's contrast over the result's in the base's own fine texture; 0 where it has none."""
    before, after = (
        np.sqrt(cell_means((part - blurred(part, 1.5)) ** 2))
        for part in (pair.base_luma, pair.result_luma)
    )
    ratio = np.log((before + NOISE) / (after + NOISE))
    flat: FloatArray = np.where(before > TEXTURE, ratio, 0).astype(np.float32)
    return flat


def _fine(pair: Pair, energy: FloatArray) -> FloatArray:
    """Return the deviation of each cell's fine detail from other cells of this picture with a similar base.

    Cells are sorted by the base's own detail into bins; the medians of ln energy, joined by lines, are
    the expectation. The spread is the median absolute deviation of the bin, or of all cells where that
    is more.
    """
    floor = np.float32(NOISE**2)
    detail = cell_means((pair.base_luma - blurred(pair.base_luma, 1.0)) ** 2)
    before, after = np.log(detail + floor), np.log(energy + floor)
    edges = np.quantile(before, np.linspace(0, 1, 17))
    places, medians, spreads = [], [], []
    for low, high in zip(edges[:-1], edges[1:], strict=True):
        inside = (before >= low) & (before <= high)
        middle = float(np.median(after[inside]))
        places.append(float(np.median(before[inside])))
        medians.append(middle)
        spreads.append(MAD_TO_SIGMA * float(np.median(np.abs(after[inside] - middle))))
    rest = after - np.interp(before, places, np.maximum.accumulate(medians))
    pooled = MAD_TO_SIGMA * float(np.median(np.abs(rest))) + 0.15
    spread = np.maximum(np.interp(before, places, spreads), pooled)
    return _around(rest / spread)


def _halo(pair: Pair) -> FloatArray:
    """Return mean overshoot beyond the base's local range at its edges, as a fraction of that range."""
    size = np.ones((5, 5), np.uint8)
    high: Any = cv2.dilate(pair.base_luma, size)
    low: Any = cv2.erode(pair.base_luma, size)
    span = high - low
    edge = span > EDGE
    over = np.maximum(0, pair.result_luma - high) + np.maximum(0, low - pair.result_luma)
    fraction = np.where(edge, over / np.maximum(span, EDGE), 0).astype(np.float32)
    edges = cell_means(edge.astype(np.float32))
    found: FloatArray = np.where(
        edges > 0.25, cell_means(fraction) / np.maximum(edges, 0.25), 0
    ).astype(np.float32)
    return found


def _banding(pair: Pair, scan: Scan) -> FloatArray:
    """Return share of the change that is in steps, in cells that are smooth in the base and flat
    between.
    """
    base = blurred(pair.base_luma, 2.0)
    across = np.abs(cv2.Sobel(base, cv2.CV_32F, 1, 0)) / 8
    down = np.abs(cv2.Sobel(base, cv2.CV_32F, 0, 1)) / 8
    smooth = cell_means(np.maximum(across, down).astype(np.float32)) < SMOOTH
    # bands are lines: cells without any are near cells with some
    fraction = _around(scan.stepped, 5) / np.maximum(_around(scan.change, 5), 1e-6)
    banded = np.where(smooth & (_around(scan.flat) > FLAT_FRACTION), fraction, 0)
    return banded.astype(np.float32)


def _around(values: Any, side: int = 3) -> FloatArray:
    """Return means over the cells around each cell."""
    means: FloatArray = cv2.blur(values.astype(np.float32), (side, side))
    return means


def _clipped_before(pair: Pair) -> FloatArray:
    ends = np.float32(BLACK / WHITE), np.float32(FULL / WHITE)
    ended: Any = (pair.small_base <= ends[0]) | (pair.small_base >= ends[1])
    return cell_means(ended.any(axis=2).astype(np.float32))


def _of(
    pair: Pair, values: FloatArray, alarm: float, least: int, kind: Kind, unit: str, words: str
) -> list[Finding]:
    """Return findings of the regions above an alarm."""
    return [
        Finding(
            kind, Severity.of(value / alarm), box, value, unit, words.format(percent=100 * value)
        )
        for box, value, _ in regions(values, alarm, least, pair.cell)
    ]
