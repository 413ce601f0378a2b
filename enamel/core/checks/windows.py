"""What swatches are sorted by: sharpness, drift from the base, the most visible join."""

import cv2
import numpy as np

from enamel.core.checks.joins import check_joins
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels, SampleArray
from enamel.core.imaging.colour import luma_of
from enamel.core.schedule import Coat, Mode
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of


def measures(
    samples: SampleArray, base: SampleArray, coat: Coat, size: Size, window: Box
) -> dict[str, float]:
    """Return what a window of a coat's result measures against the same window of the base.

    Parameters
    ----------
    samples, base : (height, width, 3 or 4) 16-bit, both at the size of the result.
    size : of the whole result, whose part is ``window``.

    Returns
    -------
    sharpness : root mean square of the luma's gradient, in percent of white per px.
    drift : root mean square difference of the luma after a blur of 2 px, in percent of white.
    joins : how far the most visible tile join stands out, as a z-score; 0 where there is none.
    """
    ours, theirs = luma_of(samples), luma_of(base)
    down, across = np.gradient(ours)
    low = cv2.GaussianBlur(ours - theirs, (0, 0), 2)
    return {
        "sharpness": round(100 * float(np.sqrt((down**2 + across**2).mean())), 3),
        "drift": round(100 * float(np.sqrt((low**2).mean())), 3),
        "joins": round(_worst_join(samples, base, coat, size, window), 2),
    }


def _worst_join(
    samples: SampleArray, base: SampleArray, coat: Coat, size: Size, window: Box
) -> float:
    refine = coat.refinement
    if refine is None or refine.mode is not Mode.SEPARATE:
        return 0.0
    grid = grid_of(PassSpec.of(refine, size))
    report = check_joins(Pixels(samples[..., :3]), Pixels(base[..., :3]), grid, window=window)
    return max((segment.score for segment in report.segments), default=0.0)
