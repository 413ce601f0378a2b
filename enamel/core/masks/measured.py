"""Masks that are measured: where pictures differ, which is sharper, where faces or findings lie.

Each is given as steps, so that it can be edited with the brush like any other. What is measured is
measured on the pixels themselves, block by block, and kept by cells; so memory does not grow with the
picture.
"""

from collections.abc import Callable, Iterable, Sequence

import cv2
import numpy as np

from enamel.core.faces.detection import Face
from enamel.core.geometry import Box, Size, blocks
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of
from enamel.core.masks.steps import Ellipse, Feather, Mask, Outline, Rectangle, Step

CELLS = 192
"""Most cells along the longer side."""
BLOCK_CELLS = 16
FINEST = 2.0
"""Standard deviation in px below which detail counts for sharpness."""
LEAST_AREA = 6
"""Least cells of an area that is outlined."""
SEEN = 2.5 / 255
"""Difference of luma, root mean square over a cell, from which it can be seen."""
WHOLE_HEAD = (0.75, 0.85)
"""Half axes of a head's ellipse as fractions of its face's box: cheeks and chin, brow and hair line."""


def face_steps(faces: Iterable[Face], margin: float) -> tuple[Ellipse, ...]:
    """Return an ellipse for each face, turned with the head.

    Parameters
    ----------
    margin : for hair and neck, as a fraction of the face; 0 is just the face.
    """
    return tuple(
        Ellipse(
            face.box.x + face.box.width / 2,
            face.box.y + face.box.height / 2,
            face.box.width * (WHOLE_HEAD[0] + margin / 2),
            face.box.height * (WHOLE_HEAD[1] + margin / 2),
            face.turn,
        )
        for face in faces
    )


def places_mask(places: Sequence[Box], size: Size) -> Mask:
    """Return a soft mask over boxes, such as findings of checks."""
    if not places:
        return Mask(size)
    steps = tuple(
        Rectangle(float(box.x), float(box.y), float(box.width), float(box.height)) for box in places
    )
    soft = max(2.0, min(min(box.size) for box in places) / 6)
    return Mask(size, (*steps, Feather(soft)))


def differs(layer: Picture, base: Picture) -> Mask:
    """Return the mask of where a layer visibly differs from the base.

    Parameters
    ----------
    base : enlarged to the layer's size.
    """
    return outlined(np.sqrt(by_cells(layer.size, _apart(layer, base))) > SEEN, layer.size)


def sharper(over: Picture, under: Picture) -> Mask:
    """Return the mask of where one picture has more fine detail than another of its size."""
    found = [cv2.GaussianBlur(by_cells(one.size, _fine(one)), (0, 0), 1.0) for one in (over, under)]
    return outlined(found[0] > found[1] * 1.1, over.size)


def nearer(over: Picture, under: Picture, base: Picture) -> Mask:
    """Return the mask of where one picture is nearer to the base than another; all three of one size."""
    found = [
        cv2.GaussianBlur(by_cells(one.size, _apart(one, base)), (0, 0), 1.0)
        for one in (over, under)
    ]
    return outlined(found[0] < found[1], over.size)


def _apart(one: Picture, other: Picture) -> Callable[[Box], FloatArray]:
    """Return squared difference of luma at each pixel."""

    def measure(box: Box) -> FloatArray:
        difference = luma_of(one.read(box)) - luma_of(other.read(box))
        return difference * difference

    return measure


def _fine(picture: Picture) -> Callable[[Box], FloatArray]:
    """Return energy of fine detail at each pixel."""

    def measure(box: Box) -> FloatArray:
        known = box.grown(8).intersection(Box.whole(picture.size))
        grey = luma_of(picture.read(known))
        fine = grey - cv2.GaussianBlur(grey, (0, 0), FINEST)
        energy: FloatArray = (fine * fine)[box.relative_to(known).slices]
        return energy

    return measure


def cell_of(size: Size) -> int:
    """Side of the cells of a picture of that size, in px."""
    return max(1, -(-max(size) // CELLS))


def by_cells(size: Size, measure: Callable[[Box], FloatArray]) -> FloatArray:
    """Return mean over each cell of what is measured at each pixel, (rows, columns) float32."""
    cell = cell_of(size)
    means = np.zeros((-(-size.height // cell), -(-size.width // cell)), np.float32)
    for block in blocks(Box.whole(size), cell * BLOCK_CELLS, cell * BLOCK_CELLS):
        rows, columns = np.arange(0, block.height, cell), np.arange(0, block.width, cell)
        sums = np.add.reduceat(np.add.reduceat(measure(block), rows, 0), columns, 1)
        heights = np.diff([*rows, block.height])[:, None]
        widths = np.diff([*columns, block.width])
        top, left = block.y // cell, block.x // cell
        means[top : top + len(rows), left : left + len(columns)] = sums / (heights * widths)
    return means


def outlined(there: "np.ndarray", size: Size) -> Mask:
    """Return a mask around the true cells; single cells are left out, holes are kept."""
    cell = cell_of(size)
    even = cv2.medianBlur(there.astype(np.uint8), 3)
    edged = np.pad(even, 1)
    contours, levels = cv2.findContours(edged, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_TC89_L1)
    steps: list[Step] = []
    for contour, level in zip(contours, levels[0] if len(contours) else [], strict=True):
        if len(contour) < 3 or cv2.contourArea(contour) < LEAST_AREA:
            continue
        points = (contour[:, 0, :].astype(float) - 0.5) * cell
        hole = level[3] >= 0
        steps.append(Outline(tuple(float(one) for one in points.ravel()), erase=bool(hole)))
    # an area within a hole of another follows it
    steps.sort(key=lambda step: step.erase if isinstance(step, Outline) else False)
    return Mask(size, (*steps, Feather(float(cell))) if steps else ())
