"""Gaussian noise that belongs to the picture: a pure function of seed, stream and coordinate.

Each block of 64 × 64 px has its own counter-based generator (Philox-4×64-10; Salmon et al.,
"Parallel random numbers: as easy as 1, 2, 3", SC 2011) whose key is the seed and the stream and
whose counter holds the block's place. So a window, a tile and the whole picture see the same noise,
in any order, on any machine.
"""

import numpy as np

from enamel.core.geometry import Box, blocks
from enamel.core.imaging.canvas import FloatArray

BLOCK = 64
SEEDS = 2**63

START = 0
"""Stream of the noise a pass starts from."""
GRIT = 1
"""Stream of the noise for extra noise."""
JOIN = 2
"""Stream of the noise that the pass over the joins starts from."""
STEP = 16
"""First of the streams used by samplers that add noise at each step."""


def gaussian(seed: int, stream: int, box: Box, channels: int = 3) -> FloatArray:
    """Independent standard normal values for the pixels of a box.

    Parameters
    ----------
    seed : 0 … 2**63 − 1.
    stream : 0 … 2**63 − 1; other streams of one seed are independent.
    box : where, in px (or latent cells) of the picture; coordinates from 0.
    channels : values for each pixel.

    Returns
    -------
    (box height, box width, channels) float32, mean 0, variance 1.

    Raises
    ------
    ValueError
        If the box begins left of or above the picture.
    """
    if box.x < 0 or box.y < 0:
        raise ValueError(f"noise has no coordinates left of or above the picture: {box}")
    out = np.empty((box.height, box.width, channels), np.float32)
    for block in blocks(box.snapped_out(BLOCK), BLOCK, BLOCK):
        counter = np.array([0, block.x // BLOCK, block.y // BLOCK, channels], np.uint64)
        generator = np.random.Generator(
            np.random.Philox(key=np.array([seed, stream], np.uint64), counter=counter)
        )
        values = generator.standard_normal((BLOCK, BLOCK, channels), dtype=np.float32)
        part = block.intersection(box)
        out[part.relative_to(box).slices] = values[part.relative_to(block).slices]
    return out
