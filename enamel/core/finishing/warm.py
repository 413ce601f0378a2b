"""Compile every loop of finishing, so that nobody waits for it later: `python -m
enamel.core.finishing.warm`.
"""

import dataclasses

import numpy as np

from enamel.core.finishing.facts import measured
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Pixels

SIDE = 64


def warm() -> None:
    """Run all steps on a small picture."""
    samples = np.random.default_rng(0).integers(0, 65536, (SIDE, SIDE, 3), dtype=np.uint16)
    picture = Pixels(samples)
    recipe = Finish()
    for name in Finish.NAMES:
        recipe = recipe.with_step(name, dataclasses.replace(getattr(recipe, name), on=True))
    local = dataclasses.replace(recipe.match, local=0.5)
    recipe = recipe.with_step("match", local)
    overview = Overview.of(picture)
    measured(picture, overview)
    Finished(picture, recipe, overview, overview).read(Box.whole(picture.size))


if __name__ == "__main__":
    warm()
