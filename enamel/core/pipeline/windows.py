"""Suggest windows for swatches, and move windows to where they cost least."""

from collections.abc import Sequence

import cv2
import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of
from enamel.core.imaging.reduce import reduced
from enamel.core.schedule import Mode, Refine
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of, moved_to_fewest

LEAST_SIDE = 32
"""Shortest side of a window, in px."""
MOST_PIXELS = 6_000_000
"""Most megapixels of a window."""
LOOKED_AT = 512
"""Longest side, in px, of the copy on which detail is measured."""

Window = tuple[str, Box]


def moved_to_save(window: Box, refine: Refine | None, size: Size) -> Box:
    """Return the window moved a little to where fewer tiles touch it, if the coat works tile by tile."""
    tiled = _tile_by_tile(refine)
    if tiled is None or window.empty:
        return window
    return moved_to_fewest(window, PassSpec.of(tiled, size))


def suggested(
    picture: Picture, size: Size, side: int, faces: Sequence[Box], refine: Refine | None
) -> list[Window]:
    """Return suggested windows: a face, the strongest detail, the flattest area, the likeliest seam of a
    refinement, and the whole picture where that is small enough; each with a label.

    Parameters
    ----------
    picture : to look at, of any size.
    size : of the picture that the windows lie on.
    side : of a window in px.
    faces : on ``picture``.
    refine : the refinement that is tried, if any.
    """
    scale = size.width / picture.size.width
    places = [
        ("A face", (face.x + face.width / 2) * scale, (face.y + face.height / 2) * scale)
        for face in faces[:1]
    ]
    detail = _detail(picture)
    places += _most_and_least(detail, size, side)
    found = [
        (words, moved_to_save(_around(x, y, side, size), refine, size)) for words, x, y in places
    ]
    tiled = _tile_by_tile(refine)
    if tiled is not None:
        seam = _likeliest_seam(detail, tiled, size)
        if seam:
            found.append(("The likeliest seam", _around(*seam, side, size)))
    whole = Box.whole(size)
    if whole.area <= MOST_PIXELS:
        found.append(("All of it", whole))
    return found


def _tile_by_tile(refine: Refine | None) -> Refine | None:
    """Return the refinement, if there is one and it works tile by tile."""
    works = refine is not None and refine.strength > 0 and refine.mode is Mode.SEPARATE
    return refine if works else None


def _detail(picture: Picture) -> FloatArray:
    """Return energy of fine detail on a small copy."""
    scale = min(1.0, LOOKED_AT / max(picture.size))
    grey = luma_of(reduced(picture, picture.size.scaled(scale)))
    return (grey - cv2.GaussianBlur(grey, (0, 0), 1.5)) ** 2


def _most_and_least(detail: FloatArray, size: Size, side: int) -> list[tuple[str, float, float]]:
    """Return the centres of the windows with the most and the least detail."""
    rows, columns = detail.shape
    cell = max(1, round(side * columns / size.width))
    mean = cv2.blur(detail, (cell, cell))
    # at least half a window from the edges, which on a small picture leaves only the middle
    down, across = (min(cell // 2, (length - 1) // 2) for length in (rows, columns))
    inner = mean[down : rows - down, across : columns - across]
    found = []
    for words, place in (
        ("The strongest detail", inner.argmax()),
        ("The flattest area", inner.argmin()),
    ):
        row, column = (int(one) for one in np.unravel_index(int(place), inner.shape))
        x = (column + across + 0.5) * size.width / columns
        y = (row + down + 0.5) * size.height / rows
        found.append((words, x, y))
    return found


def _likeliest_seam(detail: FloatArray, refine: Refine, size: Size) -> tuple[float, float] | None:
    """Return where four tiles meet in the flattest surroundings: there a seam is least hidden by texture."""
    columns, rows = grid_of(PassSpec.of(refine, size)).joins
    smooth = cv2.blur(detail, (9, 9))
    down, across = smooth.shape

    def texture(place: tuple[float, float]) -> float:
        x, y = place
        column = min(across - 1, int(x * across / size.width))
        row = min(down - 1, int(y * down / size.height))
        return float(smooth[row, column])

    crossings = [(x, y) for x in columns or [size.width / 2] for y in rows or [size.height / 2]]
    return min(crossings, key=texture) if columns or rows else None


def _around(x: float, y: float, side: int, size: Size) -> Box:
    """Return a square window around a place, inside the picture."""
    width, height = min(side, size.width), min(side, size.height)
    left = min(size.width - width, max(0, round(x - width / 2)))
    top = min(size.height - height, max(0, round(y - height / 2)))
    return Box(left, top, width, height)
