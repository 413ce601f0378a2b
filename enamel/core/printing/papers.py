"""Paper sizes that print shops keep, in mm, portrait."""

from dataclasses import dataclass

from enamel.core.printing.sizing import MM_PER_INCH


@dataclass(frozen=True, slots=True)
class PaperSize:
    """A paper size by its name; never wider than high."""

    name: str
    width_mm: float
    height_mm: float
    group: str


def iso(series: str, width: int, height: int, sizes: range) -> list[PaperSize]:
    """Return sizes of ISO 216: each is the one before, halved across and rounded down to whole mm."""
    found = []
    for number in range(max(sizes) + 1):
        if number in sizes:
            found.append(PaperSize(f"{series}{number}", width, height, f"ISO {series}"))
        width, height = height // 2, width
    return found


def inches(name: str, width: float, height: float, group: str) -> PaperSize:
    return PaperSize(name, width * MM_PER_INCH, height * MM_PER_INCH, group)


PAPERS = (
    *iso("A", 841, 1189, range(7)),
    *iso("B", 1000, 1414, range(1, 6)),
    inches("Letter", 8.5, 11, "US"),
    inches("Legal", 8.5, 14, "US"),
    inches("Tabloid", 11, 17, "US"),
    inches("Broadsheet 18 × 24 in", 18, 24, "US"),
    PaperSize("Square 100 mm", 100, 100, "Square"),
    PaperSize("Square 200 mm", 200, 200, "Square"),
    PaperSize("Square 300 mm", 300, 300, "Square"),
    inches("Square 12 in", 12, 12, "Square"),
    PaperSize("Visiting card 55 × 85 mm", 55, 85, "Card"),
    inches("Postcard 4 × 6 in", 4, 6, "Card"),
    inches("Greeting card 5 × 7 in", 5, 7, "Card"),
    PaperSize("Greeting card 120 × 170 mm", 120, 170, "Card"),
    inches("Poster 11 × 14 in", 11, 14, "Poster"),
    inches("Poster 16 × 20 in", 16, 20, "Poster"),
    inches("Poster 24 × 36 in", 24, 36, "Poster"),
    PaperSize("Poster 300 × 400 mm", 300, 400, "Poster"),
    PaperSize("Poster 500 × 700 mm", 500, 700, "Poster"),
    PaperSize("Poster 700 × 1000 mm", 700, 1000, "Poster"),
)
TOLERANCE_MM = 0.5


def paper_of(width_mm: float, height_mm: float) -> PaperSize | None:
    """Return the paper of that size, whichever way round, to within half a millimetre."""
    short, long = sorted((width_mm, height_mm))
    for paper in PAPERS:
        if max(abs(paper.width_mm - short), abs(paper.height_mm - long)) <= TOLERANCE_MM:
            return paper
    return None
