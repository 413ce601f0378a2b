"""Print geometry: between pixels, paper, resolution and the eye. Formulas in docs/guide/sizing.md."""

import math
import re
from dataclasses import dataclass, replace
from enum import StrEnum

from enamel.core.errors import FieldRefusal
from enamel.core.fields import check_fields, number, setting
from enamel.core.geometry import Size

MM_PER_INCH = 25.4
PRINT_PPI = 300.0
ACUITY_ARCMIN = 1.0
"""Finest detail that an eye resolves, in minutes of arc: visual acuity 1.0 of ISO 8596."""
HAND_MM = 300.0
"""Distance at which a print is held in the hand."""


class Unit(StrEnum):
    """Units of length."""

    MM = "mm"
    CM = "cm"
    IN = "in"

    @property
    def mm(self) -> float:
        """Millimetres in one."""
        return {Unit.MM: 1.0, Unit.CM: 10.0, Unit.IN: MM_PER_INCH}[self]

    def shown(self, length_mm: float) -> str:
        """Return a length as a number in this unit, without it: 210, 21, 8.27."""
        digits = 1 if self is Unit.MM else 2
        return f"{length_mm / self.mm:.{digits}f}".rstrip("0").rstrip(".")


SPOKEN = {
    "": None, "mm": Unit.MM, "millimetre": Unit.MM, "millimetres": Unit.MM, "cm": Unit.CM,
    "centimetre": Unit.CM, "centimetres": Unit.CM, "in": Unit.IN, "inch": Unit.IN,
    "inches": Unit.IN, '"': Unit.IN, "″": Unit.IN, "”": Unit.IN,
}  # fmt: skip
LENGTH = re.compile(r"\s*(\d+(?:[.,]\d+)?|[.,]\d+)\s*([a-z\"″”]*)\.?\s*", re.IGNORECASE)
SIDES = (1, 2, 4)
"""Numbers of lengths that a bleed may be given as."""


def length_mm(text: str, unit: Unit = Unit.MM) -> float:
    """Return a length as people write it, in mm: "30 cm", "11.8in", "210". Bare numbers are in ``unit``.

    Raises
    ------
    Refusal
        When it is not a number with or without a unit of length.
    """
    found = LENGTH.fullmatch(text)
    spoken = found[2].lower() if found else None
    if found is None or spoken not in SPOKEN:
        raise FieldRefusal("length", f"“{text}” is no length; write it as 30 cm, 11.8 in or 300.")
    return float(found[1].replace(",", ".")) * (SPOKEN[spoken] or unit).mm


def px_of(length_mm: float, ppi: float) -> int:
    """Whole pixels for a length on paper, rounded to the nearest."""
    return max(1, round(length_mm / MM_PER_INCH * ppi))


def mm_of(pixels: int, ppi: float) -> float:
    """Return length on paper of a number of pixels."""
    return pixels / ppi * MM_PER_INCH


def fitted(source: Size, width: int | None = None, height: int | None = None) -> Size:
    """Return the size with that width, or height, and the source's shape, rounded to whole pixels.

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
    return source.scaled(scale)


@dataclass(frozen=True, slots=True)
class Bleed:
    """Bleed: the printed margin beyond the trim on each side, to be cut off."""

    top: float = number(0.0, 0, 100, "Beyond the top edge.", "mm")
    right: float = number(0.0, 0, 100, "Beyond the right edge.", "mm")
    bottom: float = number(0.0, 0, 100, "Beyond the bottom edge.", "mm")
    left: float = number(0.0, 0, 100, "Beyond the left edge.", "mm")

    def __post_init__(self) -> None:
        check_fields(self)

    @classmethod
    def read(cls, text: str, unit: Unit = Unit.MM) -> "Bleed":
        """Return from one length for all sides, two (top and bottom, left and right), or four (top, right,
        bottom, left), apart by spaces or semicolons: "3 mm", "3 5", "3 mm; 5 mm; 3 mm; 10 mm".
        """
        if not text.strip():
            return cls()
        parts = (
            text.split(";") if ";" in text else re.split(r"(?<=[^\s])\s+(?=[\d.,])", text.strip())
        )
        if len(parts) not in SIDES:
            raise FieldRefusal(
                "bleed", "Give one length for all sides, or two, or four: 3 mm; 5 mm."
            )
        lengths = [length_mm(part, unit) for part in parts]
        return cls(*(lengths * 4)[:4])

    def written(self, unit: Unit) -> str:
        """As text for `read`."""
        sides = [unit.shown(side) for side in (self.top, self.right, self.bottom, self.left)]
        if len(set(sides)) == 1:
            sides = sides[:1]
        return f" {unit}; ".join(sides) + f" {unit}"


@dataclass(frozen=True, slots=True)
class PrintTarget:
    """A print: trimmed size and bleed in mm, resolution in pixels per inch."""

    width_mm: float = number(210.0, 1, 20_000, "Width after trimming.", "mm")
    height_mm: float = number(297.0, 1, 20_000, "Height after trimming.", "mm")
    ppi: float = number(PRINT_PPI, 10, 4800, "Resolution.", "ppi")
    bleed: Bleed = setting(Bleed(), "What is printed beyond the trim.")
    wrap_mm: float = number(0.0, 0, 150, "Depth of the frame a canvas is wrapped around.", "mm")

    def __post_init__(self) -> None:
        check_fields(self)

    @property
    def front(self) -> Size:
        """Size of the front: the part seen from the front."""
        return Size(px_of(self.width_mm, self.ppi), px_of(self.height_mm, self.ppi))

    @property
    def pixels(self) -> Size:
        """Exact size of the file: front, wrapped sides, and bleed on all four sides."""
        return Size(*(px_of(length, self.ppi) for length in self.length_mm))

    @property
    def length_mm(self) -> tuple[float, float]:
        """Width and height of the printed area."""
        top, right, bottom, left = self.margins_mm
        return self.width_mm + left + right, self.height_mm + top + bottom

    @property
    def margins_mm(self) -> tuple[float, float, float, float]:
        """What is printed beyond the front: wrapped sides and bleed; top, right, bottom, left."""
        bleed, wrap = self.bleed, self.wrap_mm
        return wrap + bleed.top, wrap + bleed.right, wrap + bleed.bottom, wrap + bleed.left

    @property
    def turned(self) -> "PrintTarget":
        """The same print with width and height exchanged."""
        return replace(self, width_mm=self.height_mm, height_mm=self.width_mm)

    def rounding(self) -> tuple[float, float]:
        """Return how much wider and higher, in mm, the print is in whole pixels than requested."""
        size, (width, height) = self.pixels, self.length_mm
        return mm_of(size.width, self.ppi) - width, mm_of(size.height, self.ppi) - height


class Quality(StrEnum):
    """How good a print looks from its viewing distance."""

    BEST = "best"
    GOOD = "good"
    ACCEPTABLE = "acceptable"


PIXEL_ARCMIN = {Quality.BEST: 1.0, Quality.GOOD: 1.5, Quality.ACCEPTABLE: 2.0}
"""Largest angle of a pixel, in multiples of the finest visible detail."""


def needed_ppi(quality: Quality, distance_mm: float = HAND_MM) -> float:
    """Return the resolution at which a print seen from a distance has that quality.

    A pixel takes up the angle 2 · atan(½ · 25.4 / (ppi · distance)); it may be as large as acuity
    (1 arc minute, ISO 8596) for best quality: 291 ppi at 300 mm.
    """
    angle = math.radians(ACUITY_ARCMIN * PIXEL_ARCMIN[quality] / 60)
    return MM_PER_INCH / (2 * distance_mm * math.tan(angle / 2))


def quality_of(ppi: float, distance_mm: float = HAND_MM) -> Quality | None:
    """Return the best quality that a resolution reaches from a distance; None below acceptable."""
    return next(
        (quality for quality in Quality if ppi >= needed_ppi(quality, distance_mm) - 1e-9), None
    )


def largest_print(size: Size, ppi: float) -> tuple[float, float]:
    """Return width and height in mm of the largest print of a picture at a resolution."""
    return mm_of(size.width, ppi), mm_of(size.height, ppi)
