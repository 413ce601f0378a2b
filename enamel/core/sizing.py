"""Print geometry: between pixels, paper and resolution. Formulas in docs/sizing.md."""

from dataclasses import dataclass

from enamel.core.errors import require
from enamel.core.geometry import Size

MM_PER_INCH = 25.4
PRINT_PPI = 300.0


def px_of(length_mm: float, ppi: float) -> int:
    """Whole pixels for a length on paper, rounded to the nearest."""
    return max(1, round(length_mm / MM_PER_INCH * ppi))


def mm_of(pixels: int, ppi: float) -> float:
    """Length on paper of a number of pixels."""
    return pixels / ppi * MM_PER_INCH


@dataclass(frozen=True, slots=True)
class PrintTarget:
    """A print: trimmed size and bleed in mm, resolution in pixels per inch."""

    width_mm: float
    height_mm: float
    ppi: float = PRINT_PPI
    bleed_mm: float = 0.0

    def __post_init__(self) -> None:
        for name in ("width_mm", "height_mm"):
            side = getattr(self, name)
            require(1 <= side <= 20_000, name, side, "from 1 mm to 20 m")
        require(10 <= self.ppi <= 4800, "ppi", self.ppi, "from 10 to 4800 ppi")
        require(0 <= self.bleed_mm <= 100, "bleed_mm", self.bleed_mm, "from 0 to 100 mm")

    @property
    def pixels(self) -> Size:
        """Exact size of the file, bleed on all four sides included."""
        return Size(
            px_of(self.width_mm + 2 * self.bleed_mm, self.ppi),
            px_of(self.height_mm + 2 * self.bleed_mm, self.ppi),
        )


def fitted(source: Size, width: int | None = None, height: int | None = None) -> Size:
    """The size with that width, or height, and the source's shape, rounded to whole pixels.

    With both given, the largest such size that lies within them.
    """
    if width is None and height is None:
        return source
    scales = []
    if width is not None:
        scales.append(width / source.width)
    if height is not None:
        scales.append(height / source.height)
    scale = min(scales)
    return Size(max(1, round(source.width * scale)), max(1, round(source.height * scale)))
