"""Samples as small image files for pages."""

import cv2
import numpy as np

from enamel.core.geometry import Size
from enamel.core.imaging.canvas import SampleArray, to_eight_bits


def webp_of(samples: SampleArray, longest: int) -> bytes:
    """Return a WebP of a running tile, at most ``longest`` px a side."""
    height, width, _ = samples.shape
    eight = cv2.convertScaleAbs(samples[..., :3], alpha=1 / 257)
    scale = min(1.0, longest / max(height, width))
    if scale < 1:
        eight = cv2.resize(eight, Size(width, height).scaled(scale), interpolation=cv2.INTER_AREA)
    done, data = cv2.imencode(".webp", eight[..., ::-1], [cv2.IMWRITE_WEBP_QUALITY, 88])
    if not done:
        raise ValueError(f"a tile of {width} × {height} px could not be written as WebP")
    return data.tobytes()


def rgba_of(samples: SampleArray) -> bytes:
    """Return samples as 8-bit red, green, blue and full alpha, row by row: what a page's canvas takes as it
    is.
    """
    eight = cv2.convertScaleAbs(np.ascontiguousarray(samples[..., :3]), alpha=1 / 257)
    return cv2.cvtColor(eight, cv2.COLOR_RGB2RGBA).tobytes()


def png_of(samples: SampleArray) -> bytes:
    """Return samples as an 8-bit PNG, rounded as print files are."""
    _, data = cv2.imencode(
        ".png", to_eight_bits(samples)[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1]
    )
    return data.tobytes()
