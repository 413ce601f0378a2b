"""Colour under transparency: continued from what is visible, so that resampling mixes nothing hidden in."""

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, Picture, SampleArray
from enamel.core.imaging.soften import gaussian_taps, weighted

REACH = 9
"""How far colour is continued, in px: farther than any interpolation's kernel reaches."""
FADE = gaussian_taps(REACH / 3)


class Continued:
    """The colour of a picture with alpha; where it is transparent, that of the visible pixels around it.

    A pixel of alpha *a* keeps the fraction *a* of its own colour; the rest is the mean of its neighbours
    weighted by distance and alpha (normalised convolution: Knutsson and Westin, CVPR 1993). Opaque
    pixels keep their colour bit for bit, and so do pixels that are farther than `REACH` from
    everything visible.

    Parameters
    ----------
    picture : four channels, colour not multiplied by alpha.
    """

    channels = 3

    def __init__(self, picture: Picture) -> None:
        self.picture = picture
        self.size = picture.size

    def read(self, box: Box) -> SampleArray:
        known = box.grown(REACH).intersection(Box.whole(self.size))
        samples = self.picture.read(known)
        own = samples[box.relative_to(known).slices]
        if (own[..., 3] == WHITE).all():
            return own[..., :3]
        wide = box.grown(REACH)
        padding = (
            (known.y - wide.y, wide.bottom - known.bottom),
            (known.x - wide.x, wide.right - known.right),
            (0, 0),
        )
        seen = np.pad(samples.astype(np.float32), padding)
        seen[..., :3] *= seen[..., 3:] / np.float32(WHITE)
        around = weighted(weighted(seen, FADE).swapaxes(0, 1), FADE).swapaxes(0, 1)
        visible = around[..., 3:] / np.float32(WHITE)
        alpha = own[..., 3:] / np.float32(WHITE)
        mean = around[..., :3] / np.maximum(visible, np.float32(1e-12))
        filled = own[..., :3] * alpha + mean * (1 - alpha)
        found = np.clip(np.rint(filled), 0, WHITE).astype(np.uint16)
        return np.where((own[..., 3:] == WHITE) | (visible <= 0), own[..., :3], found)
