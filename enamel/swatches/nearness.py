"""How far a swatch is from its firing where the two are not equal: in joint mode with a refiner that sees
whole tiles, pixels beyond the window's tiles affect the firing but not the swatch.
"""

from typing import Any

import numpy as np

from enamel.core.imaging.canvas import SampleArray
from enamel.core.networks.cards import spec_of
from enamel.core.schedule import Schedule, content_key
from enamel.core.tiling.passspec import blends
from enamel.library.layers import canvas_of
from enamel.library.models import Layer
from enamel.swatches.models import Swatch
from enamel.swatches.pixels import pixels_of

LEVEL = 257
"""An 8-bit level in 16-bit samples."""


def is_only_near(schedule: Schedule) -> bool:
    """Return whether a swatch of this schedule is only near its firing, not bit for bit equal."""
    refined = [coat.refinement for coat in schedule.laid if coat.refinement]
    return any(blends(refine, spec_of(refine)) for refine in refined)


def apart(samples: SampleArray, swatch: Swatch, layer: Layer | None) -> float | None:
    """Return the root mean square difference of a swatch from its firing in 8-bit levels; None without a
    firing.
    """
    if layer is None:
        return None
    with canvas_of(layer) as canvas:
        there = canvas.read(swatch.sheet.box)[..., :3]
    difference = samples[..., :3].astype(np.float64) - there
    return round(float(np.sqrt((difference**2).mean())) / LEVEL, 2)


def note(*, layer: Layer, **signal: Any) -> None:
    """Store with the swatches tried for a layer how far from it they are."""
    tried = Swatch.objects.filter(sheet__piece=layer.piece, state=Swatch.State.DONE)
    for swatch in tried.filter(measures__has_key="apart").select_related("sheet"):
        if swatch.content_key == content_key(layer.content_key, str(swatch.sheet.box)):
            swatch.measures["apart"] = apart(pixels_of(swatch), swatch, layer)
            swatch.save(update_fields=["measures"])
