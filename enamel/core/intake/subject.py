"""Guess a base's kind of picture from its pixels and prompt, to propose models that suit it."""

import re
from enum import StrEnum

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, Picture
from enamel.core.imaging.colour import luma_of

BLOCK = 8
"""Side of JPEG's blocks in px."""
BLOCKY = 1.4
FLAT = 0.5
FLAT_STEP = 1.5 / 255
SEEN = 1024
"""Side in px of the central part that is examined."""


class Subject(StrEnum):
    """Kinds of pictures that different models suit."""

    PHOTO = "photo"
    PAINTED = "painted"
    DRAWING = "drawing"
    TEXTURE = "texture"
    COMPRESSED = "compressed"


SUITED = {
    Subject.PHOTO: ("vitreous", "grisaille"),
    Subject.PAINTED: ("vitreous", "camaieu"),
    Subject.DRAWING: ("cloisonne", "champleve"),
    Subject.TEXTURE: ("stipple", "grisaille"),
    Subject.COMPRESSED: ("mend", "grisaille"),
}
"""Upscaler and refiner that each kind is offered first."""
SUITED_TO_FACES = "miniature"
"""Refiner that the faces of all kinds are offered first."""

PAINTED = re.compile(
    r"\b(oils?|paint(ing|ed|erly)|water-?colou?rs?|gouache|tempera|acrylics?|impasto|brush(work|strokes?)"
    r"|illustrations?|illustrated|fresco|pastels?|concept art)\b",
    re.IGNORECASE,
)
DRAWN = re.compile(
    r"\b(line[ -]?art|line drawing|vector|flat (art|colou?rs?|design)|logo|emblem|lettering|icon)\b",
    re.IGNORECASE,
)
"""Words in prompts for such pictures."""


def guessed(picture: Picture, prompt: str = "") -> Subject:
    """Return the kind that a picture most likely is.

    Line art and compressed pictures are recognised by their pixels; paintings and further line art by the
    prompt, because brushwork can't be told from other texture by pixels. Never `Subject.TEXTURE`: how
    much of it is wanted is a matter of taste.
    """
    whole = Box.whole(picture.size)
    # on a multiple of the block, so that blocks keep their places
    left = (whole.width - min(whole.width, SEEN)) // 2 // BLOCK * BLOCK
    top = (whole.height - min(whole.height, SEEN)) // 2 // BLOCK * BLOCK
    box = Box(left, top, min(whole.width, SEEN), min(whole.height, SEEN))
    grey = luma_of(picture.read(box))
    if flatness(grey) > FLAT:
        return Subject.DRAWING
    if blockiness(grey) > BLOCKY:
        return Subject.COMPRESSED
    if PAINTED.search(prompt):
        return Subject.PAINTED
    return Subject.DRAWING if DRAWN.search(prompt) else Subject.PHOTO


def blockiness(grey: FloatArray) -> float:
    """Return mean step across the borders of JPEG's blocks against the mean step elsewhere; 1 without any.

    Steps larger than a sixteenth of white are edges of the picture and don't count.
    """
    ratios = []
    for steps in (np.abs(np.diff(grey, axis=1)).T, np.abs(np.diff(grey, axis=0))):
        border = np.arange(len(steps)) % BLOCK == BLOCK - 1
        small = np.where(steps < 1 / 16, steps, np.nan)
        if not border.any() or border.all():
            return 1.0
        ratios.append(float(np.nanmean(small[border]) / max(np.nanmean(small[~border]), 1e-6)))
    return float(np.mean(ratios))


def flatness(grey: FloatArray) -> float:
    """Return share of the pixels that differ from their right and lower neighbour by no more than a step."""
    across = np.abs(np.diff(grey, axis=1))[:-1]
    down = np.abs(np.diff(grey, axis=0))[:, :-1]
    return float(np.mean((across < FLAT_STEP) & (down < FLAT_STEP))) if across.size else 0.0
