"""Stored pixels of swatches."""

import numpy as np

from enamel.core.imaging.canvas import SampleArray
from enamel.swatches.models import Swatch


def pixels_of(swatch: Swatch) -> SampleArray:
    """Return a finished swatch's samples."""
    box = swatch.sheet.box
    with swatch.pixels.open("rb") as file:
        samples: SampleArray = np.load(file)
    return samples.reshape(box.height, box.width, -1)
