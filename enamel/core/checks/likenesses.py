"""How much a face needs mending: how small it was, how soft it is, how much it changed."""

from dataclasses import dataclass

import cv2
import numpy as np

from enamel.core.checks.structure import similarity
from enamel.core.faces.detection import Face
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of

ENOUGH_PX = 96
"""Px from brow to chin on the base from which generators usually draw faces well."""
SIDE = 96
"""Px a side that faces are compared at."""
SOFT_TO_SHARP = (1.5, 8.0)
"""Level of fine detail, of 255, in a face that looks soft, and in one that looks sharp."""
CHANGED = 0.3
"""Loss of structural similarity against the base with full weight."""


@dataclass(frozen=True, slots=True)
class FaceFacts:
    """Measurements of a face."""

    px_on_base: int
    """From brow to chin on the base."""
    detail: float
    """Root mean square of fine detail at the print's scale, in levels of 255."""
    changed: float
    """Loss of structural similarity against the base, 0 to 1; 0 on the base itself."""

    @property
    def need(self) -> float:
        """How much it needs mending, 0 to 3: one each for small, soft and changed."""
        small = max(0.0, 1 - self.px_on_base / ENOUGH_PX)
        soft, sharp = SOFT_TO_SHARP
        softness = float(np.clip((sharp - self.detail) / (sharp - soft), 0, 1))
        return small + softness + min(1.0, self.changed / CHANGED)


def facts_of(face: Face, base: Picture, layer: Picture) -> FaceFacts:
    """Measures of a face on a layer, against the same place of the base.

    Parameters
    ----------
    face : in px of the layer.
    """
    scale = base.size.width / layer.size.width
    on_layer = face.box.intersection(Box.whole(layer.size))
    on_base = face.box.scaled(scale).intersection(Box.whole(base.size))
    if on_layer.empty or on_base.empty:
        return FaceFacts(0, 0.0, 0.0)
    grey = luma_of(layer.read(on_layer))
    fine = grey - cv2.GaussianBlur(grey, (0, 0), 2.0)
    detail = 255 * float(np.sqrt(np.mean(fine * fine)))
    pair = [_square(picture, box) for picture, box in ((base, on_base), (layer, on_layer))]
    alike = float(np.clip(similarity(*pair).mean(), 0, 1))
    return FaceFacts(on_base.height, detail, 1 - alike)


def _square(picture: Picture, box: Box) -> FloatArray:
    """Return luma of a place at the side that faces are compared at."""
    samples = picture.read(box)
    way = cv2.INTER_AREA if min(box.size) > SIDE else cv2.INTER_CUBIC
    square: FloatArray = cv2.resize(luma_of(samples), (SIDE, SIDE), interpolation=way)  # type: ignore[assignment]
    return square
