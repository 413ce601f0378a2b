"""Large prints over several sheets: panels that overlap, so that they can be glued or taped."""

import math
from dataclasses import dataclass
from itertools import pairwise

from enamel.core.errors import FieldRefusal
from enamel.core.fields import check_fields, number
from enamel.core.geometry import Box, Size
from enamel.core.printing.sizing import MM_PER_INCH, px_of

MOST_PANELS = 400


@dataclass(frozen=True, slots=True)
class Split:
    """The sheets that a print is split over; one of no width leaves it whole."""

    width_mm: float = number(
        0.0, 0, 20_000, "Width of what a sheet can show; 0 splits nothing.", "mm"
    )
    height_mm: float = number(0.0, 0, 20_000, "Height of what a sheet can show.", "mm")
    overlap_mm: float = number(10.0, 0, 100, "What neighbours share.", "mm")

    def __post_init__(self) -> None:
        check_fields(self)
        if self and min(self.width_mm, self.height_mm) <= 2 * self.overlap_mm:
            raise FieldRefusal(
                "overlap_mm",
                "must be less than half of a sheet's shorter side, or nothing is left.",
            )

    def __bool__(self) -> bool:
        return self.width_mm > 0 and self.height_mm > 0


@dataclass(frozen=True, slots=True)
class Panel:
    """One sheet's part of a print; rows and columns are counted from 1."""

    row: int
    column: int
    box: Box

    @property
    def name(self) -> str:
        return f"row {self.row}, column {self.column}"


def panels(file: Size, ppi: float, split: Split) -> list[Panel]:
    """Return the panels of a print, row by row.

    All have the same size to within a pixel, as few as the sheets allow, and share exactly the overlap;
    together they are the file.

    Parameters
    ----------
    file : all that is printed, in px.
    ppi : its resolution.

    Raises
    ------
    FieldRefusal
        When there would be more than `MOST_PANELS`.
    """
    if not split:
        return [Panel(1, 1, Box.whole(file))]
    overlap = round(split.overlap_mm / MM_PER_INCH * ppi)
    across = _cuts(file.width, px_of(split.width_mm, ppi), overlap)
    down = _cuts(file.height, px_of(split.height_mm, ppi), overlap)
    if len(across) * len(down) > MOST_PANELS:
        raise FieldRefusal("split", f"would be more than {MOST_PANELS} sheets; take larger ones.")
    return [
        Panel(row, column, Box.between(left, top, right, bottom))
        for row, (top, bottom) in enumerate(down, 1)
        for column, (left, right) in enumerate(across, 1)
    ]


def _cuts(length: int, sheet: int, overlap: int) -> list[tuple[int, int]]:
    """Beginning and end of as few parts as fit on a sheet, evenly long."""
    count = max(1, math.ceil((length - overlap) / max(1, sheet - overlap)))
    whole = length + (count - 1) * overlap
    ends = [round(whole * number / count) for number in range(count + 1)]
    return [
        (start - number * overlap, stop - number * overlap)
        for number, (start, stop) in enumerate(pairwise(ends))
    ]
