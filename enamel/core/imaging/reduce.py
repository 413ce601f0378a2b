"""Reduce pictures of any size to small ones."""

import cv2
import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, SampleArray

STRIP_PIXELS = 1_000_000


def reduced(picture: Picture, size: Size) -> SampleArray:
    """Return a picture averaged down to a smaller size, (height, width, channels) 16-bit samples.

    It is read strip by strip, so that memory does not grow with it; each strip is first averaged by a
    whole factor, which leaves out fewer px at the right and lower edge than that factor.
    """
    factor = max(1, min(picture.size.width // size.width, picture.size.height // size.height))
    width, height = picture.size.width // factor, picture.size.height // factor
    rows = max(1, STRIP_PIXELS // (width * factor * factor))
    strips = []
    for top in range(0, height, rows):
        count = min(rows, height - top)
        strip = picture.read(Box(0, top * factor, width * factor, count * factor))
        strips.append(_averaged(strip, Size(width, count)))
    return _averaged(np.concatenate(strips), size)


def _averaged(samples: SampleArray, size: Size) -> SampleArray:
    made: SampleArray = cv2.resize(samples, size, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
    return made.reshape(size.height, size.width, -1)
