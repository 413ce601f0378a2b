"""Render a mask's steps at any size and in any window.

Every step is a function of a pixel's place alone: a signed distance to its edge, turned into a fraction by a
soft step. Growing and feathering move and widen that step, so no neighbours are ever read, and a window
has the very values of the whole.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray
from enamel.core.masks.steps import (
    Ellipse,
    Feather,
    Fill,
    Grow,
    Invert,
    Mask,
    Outline,
    Rectangle,
    Step,
    Stroke,
)

Distances = NDArray[np.floating[Any]]
Shape = Stroke | Outline | Ellipse | Rectangle

HARDEST = 1.0
"""Least width of an edge, in px: harder ones would look jagged."""


@dataclass(frozen=True, slots=True)
class Edge:
    """Changes of a step's edge by later steps: moved outwards, widened. In px of the mask."""

    grown: float
    soft: float


class RenderedMask:
    """A mask at a size: see `Coverage`."""

    def __init__(self, mask: Mask, size: Size) -> None:
        self.size = size
        self.scale = (size.width / mask.size[0], size.height / mask.size[1])
        self.steps = [
            (step, edge)
            for step, edge in zip(mask.steps, _edges(mask.steps), strict=True)
            if not isinstance(step, Grow | Feather)
        ]
        self.bounds = self._bounds()

    def _bounds(self) -> Box:
        whole = Box.whole(self.size)
        found = Box(0, 0, 0, 0)
        for step, edge in self.steps:
            if isinstance(step, Fill | Invert):
                found = whole
            elif not step.erase:
                here = self._place(step, edge).intersection(whole)
                found = here if found.empty else found if here.empty else found.around(here)
        return found

    def read(self, box: Box) -> FloatArray:
        covered = np.zeros((box.height, box.width), np.float64)
        for step, edge in self.steps:
            if isinstance(step, Fill):
                covered[:] = 1
            elif isinstance(step, Invert):
                covered = 1 - covered
            else:
                place = self._place(step, edge).intersection(box)
                if not place.empty:
                    part = covered[place.relative_to(box).slices]
                    fraction = self._fraction(step, edge, place)
                    part[:] = (
                        np.minimum(part, 1 - fraction) if step.erase else np.maximum(part, fraction)
                    )
        return covered.astype(np.float32)

    def _place(self, shape: Shape, edge: Edge) -> Box:
        """Return the pixels that a shape can reach."""
        left, top, right, bottom = extent(shape)
        reach = max(0.0, edge.grown + edge.soft / 2)
        across, down = self.scale
        return Box.between(
            math.floor((left - reach) * across) - 1, math.floor((top - reach) * down) - 1,
            math.ceil((right + reach) * across) + 1, math.ceil((bottom + reach) * down) + 1,
        )  # fmt: skip

    def _fraction(self, shape: Shape, edge: Edge, box: Box) -> Distances:
        across, down = self.scale
        x = ((np.arange(box.x, box.right) + 0.5) / across)[None, :]
        y = ((np.arange(box.y, box.bottom) + 0.5) / down)[:, None]
        hardest = HARDEST / math.sqrt(across * down)
        if isinstance(shape, Stroke):
            return _stroke(shape, edge, hardest, x, y)
        soft = max(hardest, edge.soft)
        if isinstance(shape, Outline):
            inside = _outline(shape, abs(edge.grown) + soft / 2 + 1, x, y)
        elif isinstance(shape, Ellipse):
            inside = _ellipse(shape, x, y)
        else:
            inside = _rectangle(shape, x, y)
        return soft_step((inside + edge.grown) / soft + 0.5)


def soft_step(value: Distances) -> Distances:
    """0 below 0, 1 above 1, 3v² − 2v³ between."""
    clipped = np.clip(value, 0, 1)
    return clipped * clipped * (3 - 2 * clipped)


def _edges(steps: tuple[Step, ...]) -> list[Edge]:
    """Return for each step how far later ones move and widen its edge.

    Growing what is covered shrinks what was erased, and what was covered before an inversion.
    """
    found: list[Edge] = []
    grown = soft = 0.0
    for step in reversed(steps):
        if isinstance(step, Grow):
            grown += step.by
        elif isinstance(step, Feather):
            soft += step.by
        elif isinstance(step, Invert):
            grown = -grown
        away = isinstance(step, Shape) and step.erase
        found.append(Edge(-grown if away else grown, soft))
    return found[::-1]


def extent(shape: Shape) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of a shape before anything moves its edge."""
    if isinstance(shape, Rectangle):
        return shape.x, shape.y, shape.x + shape.width, shape.y + shape.height
    if isinstance(shape, Ellipse):
        turn = math.radians(shape.turn)
        across = math.hypot(shape.across * math.cos(turn), shape.down * math.sin(turn))
        down = math.hypot(shape.across * math.sin(turn), shape.down * math.cos(turn))
        return shape.x - across, shape.y - down, shape.x + across, shape.y + down
    each, margin = (3, shape.radius) if isinstance(shape, Stroke) else (2, 0.0)
    x, y = shape.points[0::each], shape.points[1::each]
    return min(x) - margin, min(y) - margin, max(x) + margin, max(y) + margin


def _ellipse(shape: Ellipse, x: Distances, y: Distances) -> Distances:
    """Return distance to the edge, positive inside, to first order: (1 − f) ÷ |∇f| with f = 1 on the edge."""
    turn = math.radians(shape.turn)
    cosine, sine = math.cos(turn), math.sin(turn)
    u = (x - shape.x) * cosine + (y - shape.y) * sine
    v = (y - shape.y) * cosine - (x - shape.x) * sine
    across, down = u / shape.across, v / shape.down
    f = np.sqrt(across * across + down * down)
    steep = np.sqrt((across / shape.across) ** 2 + (down / shape.down) ** 2)
    least = min(shape.across, shape.down)
    inside = np.full_like(f, least)
    np.divide(f * (1 - f), steep, out=inside, where=f > 1e-6)
    # along the longer axis the first order gives too little near the middle, never too much
    return np.minimum(inside, least)


def _rectangle(shape: Rectangle, x: Distances, y: Distances) -> Distances:
    across = np.minimum(x - shape.x, shape.x + shape.width - x)
    down = np.minimum(y - shape.y, shape.y + shape.height - y)
    return np.minimum(across, down)


def _stroke(shape: Stroke, edge: Edge, hardest: float, x: Distances, y: Distances) -> Distances:
    """Return the fraction covered by the brush: the most that any part of its path covers."""
    covered = np.zeros((y.shape[0], x.shape[1]))
    points = [shape.points[n : n + 3] for n in range(0, len(shape.points), 3)]
    for (x1, y1, p1), (x2, y2, p2) in zip(points, points[1:] or points, strict=False):
        r1, r2 = shape.radius * p1, shape.radius * p2
        reach = max(r1, r2) + max(0.0, edge.grown) + edge.soft / 2 + hardest
        columns = _within(x[0], min(x1, x2) - reach, max(x1, x2) + reach)
        rows = _within(y[:, 0], min(y1, y2) - reach, max(y1, y2) + reach)
        part = covered[rows, columns]
        if not part.size:
            continue
        away, along = _to_segment((x1, y1), (x2, y2), x[:, columns], y[rows])
        radius = r1 + (r2 - r1) * along
        soft = np.maximum(hardest, radius * (1 - shape.hardness) + edge.soft)
        middle = radius * (1 + shape.hardness) / 2 + edge.grown
        part[:] = np.maximum(part, soft_step((middle - away) / soft + 0.5))
    return covered


def _outline(shape: Outline, band: float, x: Distances, y: Distances) -> Distances:
    """Return distance to a closed line, positive inside; infinite farther than ``band`` from it."""
    rows, columns = y[:, 0], x[0]
    crossings = np.zeros((len(rows), len(columns) + 1), np.uint8)
    nearest = np.full((len(rows), len(columns)), np.inf)
    points = list(zip(shape.points[0::2], shape.points[1::2], strict=True))
    for (x1, y1), (x2, y2) in zip(points, [*points[1:], points[0]], strict=True):
        if y1 != y2:
            crossed = _within(rows, min(y1, y2), max(y1, y2))
            at = x1 + (rows[crossed] - y1) * ((x2 - x1) / (y2 - y1))
            places = np.searchsorted(columns, at)
            crossings[np.arange(crossed.start, crossed.stop), places] ^= 1
        near_columns = _within(columns, min(x1, x2) - band, max(x1, x2) + band)
        near_rows = _within(rows, min(y1, y2) - band, max(y1, y2) + band)
        part = nearest[near_rows, near_columns]
        if part.size:
            away, _ = _to_segment((x1, y1), (x2, y2), x[:, near_columns], y[near_rows])
            part[:] = np.minimum(part, away)
    inside = np.bitwise_xor.accumulate(crossings[:, :-1], axis=1).astype(bool)
    return np.where(inside, nearest, -nearest)


def _within(places: Distances, low: float, high: float) -> slice:
    """Return those of ascending values that lie in ``low`` ≤ value < ``high``."""
    return slice(*(int(n) for n in np.searchsorted(places, (low, high))))


def _to_segment(
    one: tuple[float, float], other: tuple[float, float], x: Distances, y: Distances
) -> tuple[Distances, Distances]:
    """Return distance of each place to a segment, and how far along it the nearest point lies, 0 to 1."""
    across, down = other[0] - one[0], other[1] - one[1]
    length = across * across + down * down
    if length == 0:
        along = np.zeros((y.shape[0], x.shape[1]))
    else:
        along = np.clip(((x - one[0]) * across + (y - one[1]) * down) / length, 0, 1)
    to_x, to_y = x - one[0] - along * across, y - one[1] - along * down
    return np.sqrt(to_x * to_x + to_y * to_y), along
