"""Align a picture from outside with a layer: matched features, a homography, and the remaining error.

Features: SIFT (Lowe, "Distinctive image features from scale-invariant keypoints", IJCV 60, 2004) with his
ratio test; the homography by RANSAC (Hartley & Zisserman, "Multiple view geometry", 2003, alg. 4.6).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, SampleArray, to_eight_bits
from enamel.core.imaging.reduce import reduced

LOOKED_AT = 1200
"""Longest side of the copies on which features are found, px."""
RATIO = 0.75
INLIER_PX = 3.0
LEAST_MATCHES = 12
GRID = 32
"""Subpixel steps of OpenCV's interpolation (INTER_TAB_SIZE)."""
MARGIN = 4
"""Margin in px for the interpolation."""

Homography = tuple[float, ...]
"""A homography from px of the picture to px of the layer: nine numbers, row by row."""


@dataclass(frozen=True, slots=True)
class Aligned:
    """How a picture is placed on a layer."""

    homography: Homography
    matches: int
    """Number of features that agree."""
    residual: float
    """Their median error in px of the layer."""


def align(over: Picture, under: Picture) -> Aligned:
    """Return the place of a picture on a layer that shows the same.

    Raises
    ------
    Refusal
        When too little of both agrees.
    """
    places, scales = [], []
    found = []
    for picture in (over, under):
        scale = min(1.0, LOOKED_AT / max(picture.size))
        small = reduced(picture, picture.size.scaled(scale))
        grey = cv2.cvtColor(to_eight_bits(small), cv2.COLOR_RGB2GRAY)
        points, descriptors = cv2.SIFT_create(nfeatures=4000).detectAndCompute(grey, None)  # type: ignore[attr-defined]
        scales.append(np.array(picture.size) / np.array(grey.shape[::-1]))
        places.append(np.array([point.pt for point in points]).reshape(-1, 2))
        found.append(descriptors)
    pairs = _matched(*found)
    if len(pairs) >= LEAST_MATCHES:
        one = (places[0][pairs[:, 0]] + 0.5) * scales[0]
        other = (places[1][pairs[:, 1]] + 0.5) * scales[1]
        threshold = INLIER_PX * float(scales[1].max())
        cv2.setRNGSeed(0)
        matrix, agree = cv2.findHomography(one, other, cv2.RANSAC, threshold)
        if matrix is not None and int(agree.sum()) >= LEAST_MATCHES and _upright(matrix, over.size):
            inliers = agree.ravel().astype(bool)
            there = cv2.perspectiveTransform(one[inliers][None], matrix)[0]
            off = np.hypot(*(there - other[inliers]).T)
            return Aligned(
                tuple(float(v) for v in matrix.ravel()), int(inliers.sum()), float(np.median(off))
            )
    raise Refusal(
        "This file shows too little of what the layer shows: fewer than "
        f"{LEAST_MATCHES} places agree. Lay a file over that was made from this picture, or one of its "
        "proportions, which is then laid over edge to edge."
    )


def edge_to_edge(over: Size, under: Size) -> Homography:
    """Return a picture stretched over the whole of a layer."""
    return (under.width / over.width, 0.0, 0.0, 0.0, under.height / over.height, 0.0, 0.0, 0.0, 1.0)


def _matched(
    one: "NDArray[np.float32] | None", other: "NDArray[np.float32] | None"
) -> NDArray[np.intp]:
    """Return the pairs of features that are much nearer to each other than to the next."""
    if one is None or other is None or len(other) < 2:
        return np.empty((0, 2), np.intp)
    found = cv2.BFMatcher().knnMatch(one, other, k=2)
    near = [
        pair[0] for pair in found if len(pair) == 2 and pair[0].distance < RATIO * pair[1].distance
    ]
    return np.array([(match.queryIdx, match.trainIdx) for match in near], np.intp).reshape(-1, 2)


def _upright(matrix: NDArray[np.float64], size: Size) -> bool:
    """Return whether a homography neither mirrors nor folds a picture of that size."""
    corners = np.array(
        [[0, 0], [size.width, 0], [size.width, size.height], [0, size.height]], float
    )
    there = cv2.perspectiveTransform(corners[None], matrix)[0]
    sides = np.roll(there, -1, 0) - there
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    return bool((turns > 0).all())


class Warped:
    """A picture laid over another by a homography, read by the box; transparent where it does not reach.

    Four channels: where the picture ends, or is transparent itself, alpha says so.
    """

    channels = 4

    def __init__(self, picture: Picture, homography: Homography, size: Size) -> None:
        self.picture = picture
        self.size = size
        self.matrix = np.array(homography, np.float64).reshape(3, 3)

    def read(self, box: Box) -> SampleArray:
        back = np.linalg.inv(self.matrix)
        corners = np.array([
            [box.x, box.y], [box.right, box.y], [box.right, box.bottom], [box.x, box.bottom],
        ], float)  # fmt: skip
        there = cv2.perspectiveTransform(corners[None], back)[0]
        left, top = np.floor(there.min(0)).astype(int) - MARGIN
        right, bottom = np.ceil(there.max(0)).astype(int) + MARGIN
        known = Box.between(left, top, right, bottom).intersection(Box.whole(self.picture.size))
        if known.empty:
            return np.zeros((box.height, box.width, 4), np.uint16)
        samples = self.picture.read(known)
        if samples.shape[2] == 3:
            opaque = np.full((*samples.shape[:2], 1), 65535, np.uint16)
            samples = np.concatenate([samples, opaque], 2)
        # pixel centres: px of the file under each px of the box
        x, y = np.meshgrid(np.arange(box.x, box.right) + 0.5, np.arange(box.y, box.bottom) + 0.5)
        lying = cv2.perspectiveTransform(np.stack([x, y], -1), back)
        # on the grid that the interpolation rounds to, so that a window has the same samples as the whole
        placed = np.rint((lying - 0.5) * GRID) / GRID
        across = (placed[..., 0] - known.x).astype(np.float32)
        down = (placed[..., 1] - known.y).astype(np.float32)
        colour = cv2.remap(
            samples[..., :3], across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
        )
        outside = known.size == self.picture.size
        alpha = cv2.remap(
            samples[..., 3], across, down, cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT if outside else cv2.BORDER_REPLICATE,
        )  # fmt: skip
        inside = ((lying >= 0) & (lying <= self.picture.size)).all(axis=-1)
        return np.concatenate([colour, (alpha * inside)[..., None].astype(np.uint16)], 2)
