"""Touch-up: a masked region refined again at a size the network is good at, and set back.

The region is cut out with surrounding context, enlarged to a working size, refined with settings of
its own, reduced again and laid over the layer through a feathered mask. Where the mask is 0 the
layer's samples stay as they are, bit for bit.
"""

import shutil
from concurrent.futures import Executor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from enamel.core.errors import require
from enamel.core.fields import check_fields, from_json, integer, number, setting
from enamel.core.files import whole_file
from enamel.core.fire.firing import Fired, fire
from enamel.core.geometry import Box, Size
from enamel.core.picture.canvas import Canvas, FloatArray, Picture, Pixels
from enamel.core.progress import Listener, StopSign, ignore, never
from enamel.core.refine.tiling import ramp
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.upscale import Enlarged, upscaler


@dataclass(frozen=True, slots=True)
class TouchUp:
    """What to mend and how. Lengths in px of the layer, but for ``working``."""

    box: tuple[int, int, int, int] = setting((0, 0, 64, 64), "x, y, width, height of the region.")
    feather: int = integer(24, 0, 1024, "Width of the soft join inside the region's edge.", "px")
    context: float = number(
        0.5, 0, 4, "Surroundings the network sees on each side, as a share of the region."
    )
    working: int = integer(
        768, 128, 4096, "Longer side of region and context while it is refined.", "px"
    )
    refine: Refine = setting(Refine(strength=0.45), "The refinement of the region.")

    def __post_init__(self) -> None:
        check_fields(self)
        fits = len(self.box) == 4 and min(self.box[:2]) >= 0 and min(self.box[2:]) >= 16
        require(fits, "box", list(self.box), "x, y, width, height with sides of 16 px or more")

    @classmethod
    def from_json(cls, given: Any) -> "TouchUp":
        """A touch-up from its JSON form; a `FieldRefusal` names the field that is wrong."""
        return from_json(cls, given)

    @property
    def region(self) -> Box:
        return Box(*self.box)

    def within(self, layer: Size) -> None:
        """Refuse a region that does not lie inside a layer of that size."""
        fits = Box.whole(layer).contains(self.region)
        require(fits, "box", list(self.box), f"inside the layer, {layer}")

    def schedule(self, layer: Size) -> Schedule:
        """What is done to the region with its context."""
        return Schedule((Coat(size=self.working_size(layer), refine=self.refine),))

    def surroundings(self, layer: Size) -> Box:
        """The region with its context, as far as the layer goes."""
        margin = round(max(self.box[2:]) * self.context)
        return self.region.grown(margin).intersection(Box.whole(layer))

    def working_size(self, layer: Size) -> Size:
        """Size at which region and context are refined: never smaller than they are."""
        around = self.surroundings(layer).size
        scale = max(1.0, self.working / max(around))
        return Size(round(around.width * scale), round(around.height * scale))


def soft_mask(region: Box, feather: int, layer: Size) -> FloatArray:
    """(height, width, 1) float32: 1 inside the region, falling to 0 at its edge over ``feather`` px.

    No softening along the edges of the picture itself, where there is nothing to join to.
    """
    sides = []
    for start, length, whole in (
        (region.y, region.height, layer.height),
        (region.x, region.width, layer.width),
    ):
        side = np.ones(length, np.float32)
        soft = min(feather, length // 2)
        if soft and start > 0:
            side[:soft] = ramp(soft)
        if soft and start + length < whole:
            side[length - soft :] *= ramp(soft)[::-1]
        sides.append(side)
    mask: FloatArray = (sides[0][:, None] * sides[1])[..., None]
    return mask


def touch_up(
    layer: Picture,
    settings: TouchUp,
    work: Path,
    into: Path,
    *,
    listener: Listener = ignore,
    stopping: StopSign = never,
    executor: Executor | None = None,
) -> Fired:
    """The layer with its region refined again, as a canvas at ``into``.

    Parameters
    ----------
    layer : picture of 3 or 4 channels.
    work : folder for finished work, as for `fire`; the same call goes on from it.
    into : file of the result, whole or not there.

    Raises
    ------
    Refusal
        If the region does not lie inside the layer.
    """
    settings.within(layer.size)
    region = settings.region
    around = settings.surroundings(layer.size)
    cut = Pixels(layer.read(around))
    schedule = settings.schedule(layer.size)
    fired = fire(cut, schedule, work, listener=listener, stopping=stopping, executor=executor)
    reduced = Enlarged(fired.result, cut.size, upscaler("lanczos"))
    fresh = reduced.read(region.relative_to(around)).astype(np.float32)
    old = layer.read(region)
    mask = soft_mask(region, settings.feather, layer.size)
    mended = np.rint(old + (fresh - old) * mask).astype(np.uint16)
    mended[..., 3:] = old[..., 3:]
    with whole_file(into) as partial, copied(layer, partial) as canvas:
        canvas.write(region, mended)
    return fired


def copied(layer: Picture, path: Path) -> Canvas:
    """A new canvas file with the layer's samples."""
    if isinstance(layer, Canvas):
        shutil.copyfile(layer.path, path)
        return Canvas(path)
    canvas = Canvas.create(path, Box.whole(layer.size), layer.channels)
    for band in canvas.bands():
        canvas.write(band, layer.read(band))
    return canvas
