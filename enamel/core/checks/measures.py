"""The measures of a report by name: label, unit, and whether more or less is better."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Measure:
    """One column of a table of measures."""

    name: str
    label: str
    unit: str
    digits: int
    lower_is_better: bool | None
    """None where neither is better."""
    says: str

    def rounded(self, value: float | None) -> float | None:
        """Return a value rounded to the digits it is written with."""
        return None if value is None else round(value, self.digits)

    def written(self, value: float | None) -> str:
        """Return a value with its digits; a dash where there is none."""
        return "–" if value is None else f"{value:.{self.digits}f}"


MEASURES = (
    Measure("joins", "Joins", "", 0, True, "joins of tiles that can be seen"),
    Measure("joins_worst", "Worst join", "z", 1, True, "how far the most visible join stands out"),
    Measure("structure", "Structure", "SSIM", 3, False, "similarity with the base, 1 is equal"),
    Measure("displacement", "Edges moved", "base px", 2, True, "95 % of corners moved by less"),
    Measure("colour", "Colour", "ΔE00", 1, True, "shift that all of the picture has in common"),
    Measure("faces_new", "New faces", "", 0, True, "faces that the base does not have"),
    Measure("faces_missing", "Lost faces", "", 0, True, "faces of the base that are gone"),
    Measure("faces_changed", "Changed faces", "", 0, True, "faces whose parts have moved"),
    Measure("lost", "Detail lost", "% of area", 1, True, "area that is flatter than it should be"),
    Measure(
        "invented",
        "Invented",
        "% of area",
        1,
        True,
        "area with detail the base gives no reason for",
    ),
    Measure("halos", "Halos", "% of edges", 1, True, "mean overshoot at edges"),
    Measure("banding", "Banding", "% of area", 1, True, "smooth area that is broken into bands"),
    Measure("clipping", "Clipped", "% of area", 1, True, "clipped px that were not in the base"),
    Measure("sharpness", "Sharpness", "% per px", 2, None, "root mean square of the gradient"),
)


def best_of(measure: Measure, values: Sequence[float | None]) -> float | None:
    """Return the best of several values; None where none is better."""
    known = [value for value in values if value is not None]
    if measure.lower_is_better is None or len(set(known)) < 2:
        return None
    return min(known) if measure.lower_is_better else max(known)
