"""The section: a piece's layers as the layers of a cut enamel plate. Geometry only; the template draws it.

The base is the copper ground, each layer a band upon its parent, as thick as its pixels are many.
Where a layer was fired more than once the plate splits, each branch having its part of the width.
Touch-ups and inlays are drawn as inclusions in a thin band, a finish as a thin glaze.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol
from uuid import UUID

WIDTH = 172.0
GAP = 2.0
THINNEST = 22.0
THICKEST = 84.0
TOUCH_UP = 17.0
LABEL_NEEDS = 64.0
"""Least width and height of a band that carries its label."""


class SectionLayer(Protocol):
    """What the section needs of a layer."""

    pk: UUID
    parent_id: UUID | None
    kind: str
    width: int
    height: int

    @property
    def mended_at(self) -> float:
        """Middle of a touch-up's region, as a fraction of the width."""
        ...


@dataclass(frozen=True, slots=True)
class Band:
    """One layer in the drawing. Lengths in the drawing's own units, origin at the top left."""

    layer: SectionLayer
    x: float
    y: float
    width: float
    height: float
    on_path: bool
    """Whether the chosen layer is this one or comes from it."""
    chosen: bool

    @property
    def labelled(self) -> bool:
        return self.width >= LABEL_NEEDS and self.height >= THINNEST

    @property
    def label(self) -> tuple[float, float]:
        """Where the band's label begins."""
        return self.x + 8, self.y + self.height / 2 + 4

    @property
    def flag(self) -> tuple[float, float]:
        """Position of the number of findings, at the right end."""
        return self.x + self.width - 13, self.y + self.height / 2

    @property
    def inclusion(self) -> tuple[float, float]:
        """Middle of the lens that stands for a touch-up's region."""
        return self.x + self.width * self.layer.mended_at, self.y + self.height / 2


@dataclass(frozen=True, slots=True)
class Section:
    """The drawing."""

    width: float
    height: float
    bands: tuple[Band, ...]


def thickness(layer: SectionLayer) -> float:
    """Return the height of a layer's band: proportional to the square root of its pixel count, within
    limits.
    """
    if layer.kind in ("touch-up", "inlay", "finish"):
        return TOUCH_UP
    megapixels = layer.width * layer.height / 1e6
    return min(THICKEST, max(THINNEST, 15.0 * math.sqrt(megapixels)))


def section(layers: Iterable[SectionLayer], chosen: UUID) -> Section:
    """Return the drawing of a piece's layers, oldest first, with one of them chosen."""
    known = {layer.pk: layer for layer in layers}
    children: dict[UUID | None, list[SectionLayer]] = {}
    for layer in known.values():
        children.setdefault(layer.parent_id, []).append(layer)
    path = set()
    step = known.get(chosen)
    while step is not None:
        path.add(step.pk)
        step = known.get(step.parent_id) if step.parent_id else None
    placed: list[tuple[SectionLayer, float, float, float, float]] = []

    def place(layer: SectionLayer, left: float, width: float, below: float) -> None:
        height = thickness(layer)
        placed.append((layer, left, below + height, width, height))
        above = children.get(layer.pk, [])
        leaves = [_leaves(child, children) for child in above]
        for child, fraction in zip(above, leaves, strict=True):
            part = (width - GAP * (len(above) - 1)) * fraction / sum(leaves)
            place(child, left, part, below + height + GAP)
            left += part + GAP

    for ground in children.get(None, []):
        place(ground, 0.0, WIDTH, 0.0)
    total = max((top for _, _, top, _, _ in placed), default=0.0)
    bands = tuple(
        Band(layer, x, total - top, width, height, layer.pk in path, layer.pk == chosen)
        for layer, x, top, width, height in placed
    )
    return Section(WIDTH, total, bands)


def _leaves(layer: SectionLayer, children: dict[UUID | None, list[SectionLayer]]) -> int:
    above = children.get(layer.pk, [])
    return sum(_leaves(child, children) for child in above) or 1
