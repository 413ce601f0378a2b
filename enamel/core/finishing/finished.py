"""A layer with its finish, as a picture that is read box by box.

What is previewed and what is written are the same object, so their pixels are the same.
"""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.errors import Refusal
from enamel.core.finishing import detail, kernels, repair, tone
from enamel.core.finishing.kernels import Planes, lightness
from enamel.core.finishing.overview import Low, Overview
from enamel.core.finishing.planes import planes_of, samples_of
from enamel.core.finishing.recipe import (
    CleanUp,
    Colour,
    Deblur,
    Finish,
    Fringes,
    Grain,
    LocalContrast,
    Match,
    Noise,
    Sharpen,
    Step,
    Tone,
)
from enamel.core.geometry import Box, blocks
from enamel.core.imaging.canvas import WHITE, Picture, SampleArray

WARMEST = 0.16
"""Fraction of the lightness that red gains and blue loses at full warmth."""
STRIP = 192
"""Fewest rows for a core of their own."""


@dataclass(frozen=True, slots=True)
class Done:
    """A prepared step: a function of a window, and its radius."""

    run: Callable[[Planes, Box], Planes]
    margin: int = 0


class Finished:
    """A layer finished by a recipe, of its size and channels. Alpha stays as it is.

    Parameters
    ----------
    layer : the picture.
    recipe : the finish.
    overview : of the layer; computed where it is needed and not given.
    reference : overview of what it is matched to, of any size of the same shape; needed if it is matched.
    """

    def __init__(
        self,
        layer: Picture,
        recipe: Finish,
        overview: Overview | None = None,
        reference: Overview | None = None,
    ) -> None:
        self.layer = layer
        self.recipe = recipe
        self.size = layer.size
        self.channels = layer.channels
        self.whole = Box.whole(layer.size)
        needs = any(isinstance(step, Match | LocalContrast) for step in recipe.steps.values())
        self.overview = overview or (Overview.of(layer) if needs else None)
        self.reference = reference
        self.seen = self.overview
        """The overview after all steps: the overview for a further recipe on this picture."""
        self.steps = list(self._made_ready(recipe))
        self.margin = sum(step.margin for step in self.steps)

    def read(self, box: Box) -> SampleArray:
        """Return the samples of a box, computed in strips on all cores."""
        if not self.steps:
            return self.layer.read(box)
        made = np.empty((box.height, box.width, self.channels), np.uint16)
        strips = blocks(box, box.width, max(STRIP, 2 * self.margin))

        def fill(strip: Box) -> None:
            made[strip.relative_to(box).slices] = self._strip(strip)

        if len(strips) == 1:
            fill(strips[0])
        else:
            with ThreadPoolExecutor(min(len(strips), cv2.getNumberOfCPUs())) as threads:
                list(threads.map(fill, strips))
        return made

    def _strip(self, strip: Box) -> SampleArray:
        known = strip.grown(self.margin).intersection(self.whole)
        samples = self.layer.read(known)
        planes, here, margin = planes_of(samples), known, self.margin
        for step in self.steps:
            planes = step.run(planes, here)
            margin -= step.margin
            rest = strip.grown(margin).intersection(self.whole)
            if rest != here:
                planes = np.ascontiguousarray(planes[:, *rest.relative_to(here).slices])
                here = rest
        colours = samples_of(planes)
        if self.channels == 3:
            return colours
        alpha = samples[strip.relative_to(known).slices][..., 3:]
        return np.concatenate([colours, alpha], axis=2)

    def _made_ready(self, recipe: Finish) -> Iterator[Done]:
        """Yield each prepared step; what it needs of the whole comes from the overview after the steps
        before it.
        """
        for step in recipe.steps.values():
            match step:
                case CleanUp():
                    run = partial(repair.cleaned_up, step=step)
                    yield Done(run, repair.clean_up_margin(step))
                case Noise():
                    yield Done(_anywhere(repair.denoised, step), repair.noise_margin(step))
                case Fringes():
                    yield Done(_anywhere(repair.unfringed, step), repair.fringes_margin(step))
                case Deblur():
                    yield Done(_anywhere(repair.deblurred, step), repair.deblur_margin(step))
                case Tone():
                    change = partial(_toned, tables=tone.tables_of(step))
                    yield Done(_anywhere(change))
                    self.seen = self.seen and self.seen.through(change)
                case Match() if self.seen:
                    yield from self._matched(step, self.seen)
                case Colour():
                    change = partial(_coloured, step=step)
                    yield Done(_anywhere(change))
                    self.seen = self.seen and self.seen.through(change)
                case LocalContrast() if self.seen:
                    light = lightness(self.seen.planes).astype(np.float32)
                    low = Low.of(light, self.seen.cell, step.radius)
                    yield Done(partial(_set_off, step=step, low=low))
                case Sharpen():
                    yield Done(_anywhere(detail.sharpened, step), detail.sharpen_margin(step))
                case Grain():
                    yield Done(partial(detail.grained, whole=self.whole, step=step))

    def _matched(self, step: Match, seen: Overview) -> Iterator[Done]:
        if self.reference is None:
            raise Refusal("What the layer is to be matched to is not there; choose another layer.")
        if step.whole:
            own, other = tone.spreads(seen, self.reference)
            change = partial(tone.moved_towards, own=own, other=other, amount=step.whole)
            yield Done(_anywhere(change))
            self.seen = seen = seen.through(change)
        if step.local:
            there, here = (
                one.laid_on(seen).cells.astype(np.float32)
                for one in (self.reference, seen.as_coarse_as(self.reference))
            )
            low = Low.of(there - here, seen.cell, step.radius)
            yield Done(partial(_shifted, amount=step.local, low=low))
            moved = seen.cells + low.at_cells_of(seen) * np.float32(step.local)
            cells = np.clip(np.rint(moved), 0, WHITE).astype(np.uint16)
            self.seen = replace(seen, cells=cells)


def _anywhere(change: Callable[..., Planes], *settings: Step) -> Callable[[Planes, Box], Planes]:
    """Return a prepared step that is independent of its window's position."""
    return lambda planes, _: change(planes, *settings)


def _toned(planes: Planes, tables: NDArray[np.uint16]) -> Planes:
    return kernels.looked_up(planes, tables)


def _coloured(planes: Planes, step: Colour) -> Planes:
    light, warmth = lightness(planes), WARMEST * step.warmth
    red = kernels.colour_change(planes[0], light, step.saturation, warmth)
    blue = kernels.colour_change(planes[2], light, step.saturation, -warmth)
    return kernels.recoloured(planes, red, blue)


def _set_off(planes: Planes, known: Box, step: LocalContrast, low: Low) -> Planes:
    return detail.set_off(planes, low.read(known), step)


def _shifted(planes: Planes, known: Box, amount: float, low: Low) -> Planes:
    return kernels.shifted(planes, low.read(known), amount)
