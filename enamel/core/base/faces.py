"""Finding faces by a classical detector: boosted cascades of Haar-like features.

Viola & Jones, "Rapid object detection using a boosted cascade of simple features", CVPR 2001, as
trained and shipped with OpenCV.
"""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np

from enamel.core.geometry import Box
from enamel.core.picture.canvas import Picture, to_eight_bits
from enamel.core.picture.reduce import reduced
from enamel.core.upscale import Enlarged, upscaler

SEARCH_SIDES = (640, 1600)
"""Longer sides at which faces are looked for: a large face shows best small, a small one large."""
SMALLEST_FACE = 24
NEIGHBOURS = 5
SAME = 0.3
"""Boxes that share more than this part of their union are one face."""


@dataclass(frozen=True, slots=True)
class Face:
    """A face that was found. ``box`` in px of the picture, ``score`` higher for surer ones."""

    box: Box
    score: float


@lru_cache(maxsize=1)
def _cascade() -> cv2.CascadeClassifier:
    folder = Path(cv2.data.haarcascades)  # type: ignore[attr-defined]
    return cv2.CascadeClassifier(str(folder / "haarcascade_frontalface_alt.xml"))


def find_faces(picture: Picture) -> list[Face]:
    """Upright, roughly frontal faces, the largest first. Memory does not grow with the picture."""
    found = [face for side in SEARCH_SIDES for face in _found_at(picture, side)]
    kept: list[Face] = []
    for face in sorted(found, key=lambda face: -face.score):
        if all(shared(face.box, other.box) <= SAME for other in kept):
            kept.append(face)
    return sorted(kept, key=lambda face: (-face.box.area, face.box.y, face.box.x))


def _found_at(picture: Picture, side: int) -> list[Face]:
    size = picture.size
    scale = min(2.0, side / max(size))
    small = size.scaled(scale)
    if scale < 1:
        colour = reduced(picture, small)[..., :3]
    else:
        colour = Enlarged(picture, small, upscaler("lanczos")).read(Box.whole(small))[..., :3]
    grey = cv2.cvtColor(to_eight_bits(colour), cv2.COLOR_RGB2GRAY)
    boxes, _, scores = _cascade().detectMultiScale3(
        grey,
        scaleFactor=1.08,
        minNeighbors=NEIGHBOURS,
        minSize=(SMALLEST_FACE, SMALLEST_FACE),
        outputRejectLevels=True,
    )
    whole = Box.whole(size)
    return [
        Face(Box(*(round(int(value) / scale) for value in box)).intersection(whole), float(score))
        for box, score in zip(boxes, np.ravel(scores), strict=True)
    ]


def shared(one: Box, other: Box) -> float:
    """Intersection over union of two boxes, 0 to 1."""
    common = one.intersection(other).area
    return common / (one.area + other.area - common)
