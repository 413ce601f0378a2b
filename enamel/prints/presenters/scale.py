"""The scale drawing: a print over paper sizes, beside a hand or a door. Geometry only; the template draws
it.
"""

from dataclasses import dataclass

from enamel.core.printing.papers import PAPERS, PaperSize

WIDTH, HEIGHT = 288.0, 148.0
GAP = 10.0
HAND = (100.0, 190.0)
"""A hand with its fingers closed, in mm."""
DOOR = (850.0, 2000.0)
HAND_UP_TO = 650.0
"""Longest side, in mm, of a print drawn beside a hand; larger ones are drawn beside a door."""


@dataclass(frozen=True, slots=True)
class PaperDrawn:
    """A rectangle of the drawing, at its bottom edge, in the drawing's units."""

    kind: str
    """print, trim, best or paper."""
    label: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class Scale:
    """The drawing."""

    sheets: tuple[PaperDrawn, ...]
    beside: str
    """hand or door."""
    beside_x: float
    beside_y: float
    per_mm: float
    width: float = WIDTH
    height: float = HEIGHT


def drawn_scale(
    print_mm: tuple[float, float], trim_mm: tuple[float, float], best_mm: tuple[float, float]
) -> Scale:
    """Return the drawing of a print with its bleed, its trim, and the largest print of best quality.

    All share one bottom edge and one left edge, in front of the two ISO A sizes nearest to the print.
    """
    longest = max(*print_mm, *best_mm)
    beside, (beside_width, beside_height) = (
        ("hand", HAND) if max(print_mm) <= HAND_UP_TO else ("door", DOOR)
    )
    papers = [_lying(paper, print_mm) for paper in _nearest(print_mm)]
    widths = [size[0] for _, size in papers]
    heights = [size[1] for _, size in papers]
    across = max(print_mm[0], best_mm[0] if best_mm[0] < 3 * longest else 0, *widths)
    down = max(print_mm[1], best_mm[1], beside_height, *heights)
    per_mm = min((WIDTH - GAP) / (across + beside_width), (HEIGHT - 2) / down)

    def sheet(kind: str, label: str, size: tuple[float, float], inset: float = 0.0) -> PaperDrawn:
        width, height = size[0] * per_mm, size[1] * per_mm
        return PaperDrawn(kind, label, 1 + inset, HEIGHT - 1 - inset - height, width, height)

    inset = (print_mm[0] - trim_mm[0]) / 2 * per_mm
    sheets = (
        *(sheet("paper", name, size) for name, size in sorted(papers, key=lambda p: -p[1][0])),
        sheet("print", "", print_mm),
        sheet("trim", "", trim_mm, max(0.0, inset)),
        sheet("best", "", best_mm),
    )
    return Scale(
        sheets,
        beside,
        across * per_mm + GAP,
        HEIGHT - 1 - beside_height * per_mm,
        per_mm,
    )


def _nearest(print_mm: tuple[float, float]) -> list[PaperSize]:
    """Return the largest ISO A size within the print and the smallest around it, where they exist."""
    sizes = [paper for paper in PAPERS if paper.group == "ISO A"]
    area = print_mm[0] * print_mm[1]
    larger = [paper for paper in sizes if paper.width_mm * paper.height_mm >= area]
    smaller = [paper for paper in sizes if paper.width_mm * paper.height_mm < area]
    return [*larger[-1:], *smaller[:1]]


def _lying(paper: PaperSize, print_mm: tuple[float, float]) -> tuple[str, tuple[float, float]]:
    """Return a paper's name and size, in the print's orientation."""
    size = (paper.width_mm, paper.height_mm)
    return paper.name, (size[1], size[0]) if print_mm[0] > print_mm[1] else size
