"""Finding the cuts of a contact sheet: several candidates set out in one picture, 2 × 2 and the like.

A gutter is a band of one flat colour from edge to edge. Sheets without gutters are recognised by joins: lines
across the whole picture at which it changes everywhere at once.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.reduce import reduced

MOST = 6
"""Most pictures looked for along one side."""
FLAT = 0.02
"""Largest standard deviation along a line of a gutter, white being 1."""
WIDEST = 0.12
"""Widest gutter, as a fraction of a cell."""
LEAST_GUTTER = 4
"""Width in px from which a flat band is certainly a gutter."""
EVEN = 0.04
"""How far a cut may lie from its even place, as a fraction of a cell."""
STRONG = 3.5
"""How many times stronger than usual a join without gutter is."""
EVERYWHERE = 0.5
"""Share of a join's length at which the picture has to change."""
SURE, LIKELY = 5.0, 2.0
"""How many times more it has to change there than along the lines beside it: for a join alone, and for
one of a sheet whose other direction is certain. Edges within pictures that run straight across reach 4.
"""
LONGEST_SIDE = 900
LEAST_CELL = 64
"""Smallest side of a candidate, in px."""


@dataclass(frozen=True, slots=True)
class Cuts:
    """The candidates of a sheet: spans of columns and of rows, in px. One of each when it is no sheet."""

    columns: tuple[tuple[int, int], ...]
    rows: tuple[tuple[int, int], ...]

    @property
    def count(self) -> int:
        return len(self.columns) * len(self.rows)

    def boxes(self) -> list[Box]:
        """Return the candidates, row by row."""
        return [
            Box.between(left, top, right, bottom)
            for top, bottom in self.rows
            for left, right in self.columns
        ]


def find_cuts(picture: Picture) -> Cuts:
    """Return the cuts of a picture: evenly set gutters or joins along both sides.

    A flat band somewhere, or one sharp edge, is not enough: the cells must be of the same size, and the
    lines must reach from edge to edge.
    """
    scale = min(1.0, LONGEST_SIDE / max(picture.size))
    size = picture.size.scaled(scale)
    small = reduced(picture, size)[..., :3]
    values = small.astype(np.float32) / np.float32(65535)
    across, down = values.swapaxes(0, 1), values
    columns = _spans(across, picture.size.width, SURE)
    rows = _spans(down, picture.size.height, SURE)
    # a sheet that has gutters one way has them the other way too, and those are seen by themselves
    if len(columns) > 1 and len(rows) == 1 and not _apart(columns):
        rows = _spans(down, picture.size.height, LIKELY)
    elif len(rows) > 1 and len(columns) == 1 and not _apart(rows):
        columns = _spans(across, picture.size.width, LIKELY)
    return Cuts(columns, rows)


def _apart(spans: tuple[tuple[int, int], ...]) -> bool:
    """Return whether there are gutters between spans, and not just lines that are flat by chance."""
    return any(after[0] - before[1] >= LEAST_GUTTER for before, after in pairwise(spans))


def _spans(lines: FloatArray, length: int, alone: float) -> tuple[tuple[int, int], ...]:
    """Spans of the cells along the first axis of ``lines``, in px of the whole ``length``."""
    whole = ((0, length),)
    flat = lines.std(axis=1).max(axis=1) < FLAT
    if flat.mean() > 0.5:
        return whole  # mostly flat: a drawing, not a sheet
    change = np.abs(np.diff(lines, axis=0)).max(axis=2)
    joins = _join(change)
    for count in range(MOST, 1, -1):
        if length / count < LEAST_CELL:
            continue
        spans = _even(flat, joins, alone, count)
        if spans is not None:
            scale = length / len(lines)
            return tuple((round(start * scale), round(end * scale)) for start, end in spans)
    return whole


def _even(
    flat: FloatArray, joins: FloatArray, alone: float, count: int
) -> list[tuple[int, int]] | None:
    """Spans of ``count`` even cells, when there is a gutter or a join at each place between them."""
    total = len(flat)
    first, last = _border(flat)
    cell = (last - first) / count
    cuts = []
    for number in range(1, count):
        middle = first + number * cell
        gutter = _gutter(flat, middle, cell)
        if gutter is None:
            near = range(
                max(1, round(middle - EVEN * cell)), min(total - 1, round(middle + EVEN * cell) + 1)
            )
            best = max(near, key=lambda place: joins[place - 1], default=None)
            if best is None or joins[best - 1] < alone:
                return None
            gutter = (best, best)
        cuts.append(gutter)
    starts = [first, *(end for _, end in cuts)]
    ends = [*(start for start, _ in cuts), last]
    spans = list(zip(starts, ends, strict=True))
    sides = [end - start for start, end in spans]
    return spans if max(sides) - min(sides) <= max(2, EVEN * cell) else None


def _join(change: FloatArray) -> FloatArray:
    """Return how many times more the picture changes along each line than along those beside it; 0 for
    lines along most of which it changes little.
    """
    usual = np.median(change) + 1e-3
    everywhere = (change > STRONG * usual).mean(axis=1) >= EVERYWHERE
    means = np.pad(change.mean(axis=1), 4, mode="edge")
    beside = (means[:-8] + means[1:-7] + means[7:-1] + means[8:]) / 4
    joins: FloatArray = everywhere * means[4:-4] / (beside + 1e-3)
    return joins


def _border(flat: FloatArray) -> tuple[int, int]:
    """Return where the sheet begins and ends within a flat border."""
    busy = np.flatnonzero(np.logical_not(flat))
    return int(busy[0]), int(busy[-1]) + 1


def _gutter(flat: FloatArray, middle: float, cell: float) -> tuple[int, int] | None:
    """Return the flat band around a place, if there is one that is neither too wide nor off its place."""
    centre = round(middle)
    reach = max(1, round(EVEN * cell))
    near = [
        place
        for place in range(centre - reach, centre + reach + 1)
        if 0 <= place < len(flat) and flat[place]
    ]
    if not near:
        return None
    place = min(near, key=lambda index: abs(index - middle))
    start = place
    while start > 0 and flat[start - 1]:
        start -= 1
    end = place + 1
    while end < len(flat) and flat[end]:
        end += 1
    return (start, end) if end - start <= max(3, WIDEST * cell) else None
