"""Colour: the difference of the result's colours from the base's, and its direction."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from enamel.core.checks.findings import Finding, Kind, Map, Severity, regions, tint
from enamel.core.checks.pairs import CELL, Pair, blurred, cell_means
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import WHITE, FloatArray
from enamel.core.imaging.colour import Lab, delta_e, lab_of

SHIFT_ALARM = 1.0
"""Mean shift in ΔE00 that is reported: just visible with both side by side."""
ALARM = 2.0
"""ΔE00 of a cell's mean colour that counts as changed."""
LEAST_CELLS = 6
BLUR = 0.8
"""Blur of the cells' colours, in cells."""


@dataclass(frozen=True)
class Shift:
    """A shift in colour. Lightness, saturation (chroma), warmth (b*) and redness (a*) in CIELAB units."""

    distance: FloatArray
    """ΔE00 for each cell."""
    measures: dict[str, float]
    findings: tuple[Finding, ...]


def check_colour(pair: Pair) -> Shift:
    """ΔE00 between the mean colours of cells, the mean shift, and places that changed by more."""
    before, after = _labs(pair.small_base), _labs(pair.small_result)
    distance = delta_e(before, after).astype(np.float32)
    difference = after - before
    chroma = np.hypot(after[..., 1], after[..., 2]) - np.hypot(before[..., 1], before[..., 2])
    # the shift that the whole picture has in common, so that one changed place does not count
    common = np.median(difference.reshape(-1, 3), axis=0)
    shift = float(np.median(delta_e(before, before + common)))
    measures = {
        "colour": shift,
        "colour_places": float(distance.mean()),
        **_directions(difference.reshape(-1, 3), chroma),
        "colour_shifted": float(shift > SHIFT_ALARM),
    }
    findings = []
    if shift > SHIFT_ALARM:
        words = f"All of the picture is {tint(measures)}, by {shift:.1f} ΔE."
        whole = Box.whole(pair.result.size)
        findings.append(
            Finding(Kind.COLOUR, Severity.of(shift / SHIFT_ALARM), whole, shift, "ΔE00", words)
        )
    beyond = np.where(shift > SHIFT_ALARM, delta_e(before + common, after), distance)
    for box, value, inside in regions(beyond.astype(np.float32), ALARM, LEAST_CELLS, pair.cell):
        here = tint(_directions(difference[inside], chroma[inside]))
        words = f"The colour here is {here}, by {value:.1f} ΔE."
        findings.append(Finding(Kind.COLOUR, Severity.of(value / ALARM), box, value, "ΔE00", words))
    return Shift(distance, measures, tuple(findings))


def _directions(difference: Lab, chroma: NDArray[np.float64]) -> dict[str, float]:
    """Return mean differences of cells (…, 3) in L*, a*, b*, and of their chroma, by the measures' names."""
    lightness, redness, warmth = difference.mean(axis=0)
    return {
        "lightness": float(lightness),
        "saturation": float(chroma.mean()),
        "redness": float(redness),
        "warmth": float(warmth),
    }


def chart(shift: Shift) -> Map:
    return Map(shift.distance, "ΔE00", ALARM)


def _labs(values: FloatArray) -> Lab:
    """L*a*b* of the mean colour of each cell, a little blurred so that detail does not count."""
    cells = np.stack([cell_means(values[..., channel], CELL) for channel in range(3)], axis=-1)
    return lab_of(np.rint(np.clip(blurred(cells, BLUR), 0, 1) * WHITE).astype(np.uint16))
