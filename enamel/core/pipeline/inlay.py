"""Inlays: one picture set into another by mask and opacity, read box by box.

What is previewed and what is written are the same object, so their pixels are the same.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.fields import check_fields, from_json, number, setting
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, Picture, SampleArray
from enamel.core.imaging.colour import from_light, to_light
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.coverage import Coverage, FullCoverage, require_covered
from enamel.core.pipeline.align import Homography, Warped
from enamel.core.pipeline.join import MatchedPatch
from enamel.core.upscaling import Enlarged, upscaler


class Mixing(StrEnum):
    """The scale on which two pictures are mixed where both show."""

    AS_IT_IS = "as it is"
    LINEAR = "linear light"


@dataclass(frozen=True, slots=True)
class Inlay:
    """How a picture is set into another."""

    source: str = setting("", "Name of the picture's pixels: their sha256.")
    mask: Mask | None = setting(None, "Where it shows; null for everywhere.")
    opacity: float = number(1.0, 0, 1, "How much of it shows there.")
    mixing: Mixing = setting(Mixing.AS_IT_IS, "On which scale both are mixed.")
    seamless: float = number(
        0.0,
        0,
        1,
        "How far its colour is matched to what is around the mask, so that no edge shows.",
    )
    homography: tuple[float, ...] | None = setting(
        None, "Where a file lies: nine numbers, from its px to the layer's; null for edge to edge."
    )

    def __post_init__(self) -> None:
        check_fields(self)

    @classmethod
    def from_json(cls, given: Any) -> "Inlay":
        return from_json(cls, given)


def fitted(over: Picture, size: Size, homography: Homography | None) -> Picture:
    """Return a picture at the size of the layer it is laid over, by coordinates or by a homography."""
    if homography is not None:
        return Warped(over, homography, size)
    return Enlarged(over, size, upscaler("lanczos"))


class Inlaid:
    """A picture with another set into it, of the first one's size and channels.

    Raises
    ------
    Refusal
        When the mask covers nothing.
    """

    def __init__(
        self, under: Picture, over: Picture, settings: Inlay, mask: Coverage | None = None
    ) -> None:
        self.size = under.size
        self.channels = under.channels
        self.under = under
        self.over = fitted(over, under.size, settings.homography)
        drawn = (
            RenderedMask(settings.mask, under.size) if settings.mask else FullCoverage(under.size)
        )
        self.mask = mask or drawn
        require_covered(self.mask)
        self.opacity = np.float32(settings.opacity)
        self.mixing = settings.mixing
        self.matched = MatchedPatch(self.over, under, self.mask, settings.seamless)

    def read(self, box: Box) -> SampleArray:
        below = self.under.read(box)
        covered = self.mask.read(box)[..., None] * self.opacity
        if not covered.any():
            return below
        if self.over.channels == 4:
            covered = covered * (self.over.read(box)[..., 3:] / np.float32(WHITE))
        above = np.clip(self.matched.read(box), 0, WHITE)
        mixed = below.copy()
        colour = below[..., :3].astype(np.float32)
        if self.mixing is Mixing.LINEAR:
            light = to_light(colour) + (to_light(above) - to_light(colour)) * covered
            laid = from_light(light)
        else:
            laid = colour + (above - colour) * covered
        touched = np.broadcast_to(covered > 0, laid.shape)
        mixed[..., :3] = np.where(touched, np.clip(np.rint(laid), 0, WHITE), colour).astype(
            np.uint16
        )
        return mixed


def inlaid(under: Picture, layers: list[tuple[Picture, Inlay]]) -> Picture:
    """Return a picture with several others set into it, one over the other in their order."""
    if not layers:
        raise Refusal("Nothing is laid over the layer yet; choose a picture first.")
    for over, settings in layers:
        under = Inlaid(under, over, settings)
    return under
