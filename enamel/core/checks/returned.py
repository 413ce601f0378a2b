"""Check whether a picture returned by a service is a plausible result of the picture that was sent."""

from dataclasses import asdict, dataclass
from typing import Any

from enamel.core.checks.colours import check_colour
from enamel.core.checks.pairs import Pair
from enamel.core.checks.structure import check_structure
from enamel.core.imaging.canvas import Picture

MOST_COLOUR = 2.5
"""Shift in ΔE00 that all of the picture has in common; coats of the demo pictures at 0.9 have up to 0.05."""
LEAST_SIMILARITY = 0.7
"""Mean structural similarity; coats of the demo pictures at 0.9 have 0.90 and more."""
MOST_DISPLACEMENT = 2.5
"""Displacement of corners in px of the sent picture; those coats have up to 1.2."""


@dataclass(frozen=True, slots=True)
class ReturnComparison:
    """The difference of a returned picture from the sent one, both at the smaller one's size."""

    colour: float
    """Common shift in ΔE00."""
    similarity: float
    """Mean SSIM, 1 for the same structure."""
    displacement: float
    """95th percentile of the displacement of corners, px of the sent picture."""

    @property
    def doubts(self) -> list[str]:
        """Reasons to doubt that it was made from the picture sent; empty where there are none."""
        found = []
        if self.similarity < LEAST_SIMILARITY:
            found.append(
                f"Its shapes are not those that left: similarity {self.similarity:.2f}, where at least "
                f"{LEAST_SIMILARITY:.2f} is expected."
            )
        if self.colour > MOST_COLOUR:
            found.append(
                f"All of its colours are shifted by {self.colour:.1f} ΔE, where at most "
                f"{MOST_COLOUR:g} are expected."
            )
        if self.displacement > MOST_DISPLACEMENT:
            found.append(
                f"Its edges lie {self.displacement:.1f} px from where they were, where at most "
                f"{MOST_DISPLACEMENT:g} px are expected."
            )
        return found

    def to_json(self) -> dict[str, Any]:
        return asdict(self)


def compare_returned(sent: Picture, came: Picture) -> ReturnComparison:
    """Compare a returned picture with the sent one.

    Raises
    ------
    Refusal
        When they do not have the same shape.
    """
    pair = Pair(sent, came)
    drift = check_structure(pair)
    return ReturnComparison(
        check_colour(pair).measures["colour"], drift.similarity, drift.displacement
    )
