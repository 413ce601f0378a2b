"""Preview finishes, and propose settings for their steps."""

import math
from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Generic, TypeVar

from enamel.core.errors import Refusal
from enamel.core.finishing.automatic import Proposal, proposed
from enamel.core.finishing.facts import Measurements
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Pixels, SampleArray
from enamel.core.imaging.reduce import reduced
from enamel.firings.finishes import matched_to, reference_of
from enamel.library.layers import canvas_of
from enamel.library.models import Layer
from enamel.library.overviews import overview_of

V = TypeVar("V")

MOST_EXACT = 1_600_000
"""Previews of up to this many pixels are never reduced."""
ROOM = 24
"""Margin in px around a window, for a step whose reach grows while it is being set."""
KEPT_BEGUN = 4
"""How many windows are kept in memory; some 10 MB each."""
KEPT_SMALL = 6
"""How many reduced layers are kept in memory for previews of the whole."""


def shown(layer: Layer, recipe: Finish, window: Box, pixels: int) -> SampleArray:
    """Return the preview of a finish on a part of a layer.

    Up to `MOST_EXACT` px, or as many as there is room for, these are the pixels that the layer will have.
    A larger part is made from the reduced layer, at ``pixels`` px or less, which is quick.
    """
    window = window.intersection(Box.whole(layer.size))
    if window.empty:
        raise Refusal("This part lies outside the layer.")
    if window.area <= max(MOST_EXACT, pixels):
        return _exact(layer, recipe, window)
    small = _small(layer, (pixels / window.area) ** 0.5)
    scale = small.size.width / layer.width
    overview, reference = Overview.of(small), reference_of(layer, recipe)
    part = window.scaled(scale).intersection(Box.whole(small.size))
    return Finished(small, recipe.at_scale(scale), overview, reference).read(part)


class RecentResults(Generic[V]):
    """A cache of the last few results, for pages that ask for the same repeatedly from several threads."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._values: OrderedDict[Hashable, V] = OrderedDict()
        self._lock = Lock()

    def get(self, place: Hashable) -> V | None:
        with self._lock:
            return self._values.get(place)

    def put(self, place: Hashable, value: V) -> None:
        with self._lock:
            self._values[place] = value
            self._values.move_to_end(place)
            while len(self._values) > self.most:
                self._values.popitem(last=False)


@dataclass(frozen=True, slots=True)
class PartialPreview:
    """A window as shown last, with the result of the steps before the one being set."""

    recipe: Finish
    step: str | None = None
    pixels: Pixels | None = None
    seen: Overview | None = None

    def reaches(self, step: str, box: Box) -> bool:
        return self.step == step and self.pixels is not None and self.pixels.region.contains(box)


def _exact(layer: Layer, recipe: Finish, window: Box) -> SampleArray:
    """Return a window with a finish. While one step is being set, the steps before it are not repeated."""
    place = (layer.pixels.name, window)
    last = _begun.get(place)
    step = recipe.first_difference(last.recipe) if last else None
    with canvas_of(layer) as canvas:
        overview, reference = overview_of(layer), reference_of(layer, recipe)
        before, after = recipe.parted(step or Finish.NAMES[0])
        if last is None or step is None or not before.steps:
            now = PartialPreview(recipe)
            samples = Finished(canvas, recipe, overview, reference).read(window)
        else:
            margin = Finished(canvas, after, overview, reference).margin
            whole = Box.whole(layer.size)
            if last.reaches(step, window.grown(margin).intersection(whole)):
                now = replace(last, recipe=recipe)
            else:
                first = Finished(canvas, before, overview, reference)
                region = window.grown(margin + ROOM).intersection(whole)
                pixels = Pixels(first.read(region), (region.x, region.y), layer.size)
                now = PartialPreview(recipe, step, pixels, first.seen)
            assert now.pixels is not None
            samples = Finished(now.pixels, after, now.seen, reference).read(window)
    _begun.put(place, now)
    return samples


def _small(layer: Layer, scale: float) -> Pixels:
    """Return a layer reduced by about a scale. The last few are cached."""
    size = layer.size.scaled(2.0 ** (round(4 * math.log2(scale)) / 4))
    place = (layer.pixels.name, size)
    small = _smalls.get(place)
    if small is None:
        with canvas_of(layer) as canvas:
            small = Pixels(reduced(canvas, size))
        _smalls.put(place, small)
    return small


def proposal(layer: Layer, recipe: Finish, name: str) -> Proposal:
    """Return the settings that a step proposes for a layer."""
    own, target = overview_of(layer), matched_to(layer, recipe.match.to)
    reference = overview_of(target) if target.pk != layer.pk else None
    return proposed(name, Measurements.from_json(layer.measured), own, reference)


_begun: RecentResults[PartialPreview] = RecentResults(KEPT_BEGUN)
_smalls: RecentResults[Pixels] = RecentResults(KEPT_SMALL)
