"""Sharpening for paper: it compensates for the spread of ink, by paper and resolution."""

from dataclasses import dataclass
from enum import StrEnum

from enamel.core.finishing.recipe import Sharpen
from enamel.core.printing.sizing import MM_PER_INCH


class PaperStock(StrEnum):
    """Kinds of paper."""

    NONE = "none"
    GLOSSY = "glossy"
    SATIN = "satin"
    MATTE = "matte"
    CANVAS = "canvas"


@dataclass(frozen=True, slots=True)
class Surface:
    """Properties of a paper's surface."""

    spread_mm: float
    """Standard deviation by which an edge is blurred."""
    amount: float
    """How much sharpening makes up for it."""


SURFACES = {
    PaperStock.GLOSSY: Surface(0.035, 0.5),
    PaperStock.SATIN: Surface(0.045, 0.65),
    PaperStock.MATTE: Surface(0.065, 0.9),
    PaperStock.CANVAS: Surface(0.11, 1.2),
}
"""Edge widths are about the spread of a dot of ink. Coarse values, but prints differ less than papers do."""
LEAST_PX = 0.35
"""Spread in px below which no detail of the file is lost."""


def sharpening(paper: PaperStock, ppi: float) -> Sharpen | None:
    """Return the sharpening of a file for a paper at a resolution; None where it needs none."""
    surface = SURFACES.get(paper)
    if surface is None or _px(surface, ppi) < LEAST_PX:
        return None
    return Sharpen(
        on=True, radius=round(min(6.0, _px(surface, ppi)), 2), amount=surface.amount,
        threshold=1.0, edges=0.4, halo=0.2,
    )  # fmt: skip


def reason(paper: PaperStock, ppi: float) -> str:
    """Return the reason in a sentence."""
    surface = SURFACES.get(paper)
    if surface is None:
        return "Not sharpened for paper."
    px = _px(surface, ppi)
    spread = f"On {paper} paper ink spreads an edge by {surface.spread_mm:.3f} mm"
    if paper is PaperStock.CANVAS:
        spread = f"On canvas ink spreads an edge by {surface.spread_mm:.2f} mm"
    if px < LEAST_PX:
        return f"{spread}, {px:.1f} px at {ppi:.0f} ppi: less than a pixel can show, so nothing is done."
    return f"{spread}, {px:.1f} px at {ppi:.0f} ppi; edges are made steeper by as much."


def _px(surface: Surface, ppi: float) -> float:
    return surface.spread_mm / MM_PER_INCH * ppi
