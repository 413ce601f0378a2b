"""Place a picture on a print of another shape: fitted inside, cropped, or extended."""

from dataclasses import dataclass, replace
from enum import StrEnum

from enamel.core.errors import require
from enamel.core.fields import check_fields, from_json, number, setting, to_json
from enamel.core.geometry import Box, Size
from enamel.core.imaging.colour import rgb_of
from enamel.core.printing.panels import Split
from enamel.core.printing.shapes import Shape
from enamel.core.printing.sizing import PrintTarget, Unit, fitted

COARSEST_PPI, FINEST_PPI = 10.0, 4800.0
SMALL_MISFIT = 0.03
"""Largest relative change of resolution that is offered for a whole factor."""


class Fit(StrEnum):
    """What is done where picture and paper have different shapes."""

    INSIDE = "inside"
    """All of the picture within the paper; the file has the picture's shape."""
    FILL = "fill"
    """All of the paper covered; what does not fit is cropped."""
    EXTEND = "extend"
    """All of the picture within the front; the rest and the bleed are made from its edges."""


class Edge(StrEnum):
    """How a picture is extended."""

    MIRROR = "mirror"
    BLUR = "blur"
    STRETCH = "stretch"
    """Its outermost pixels, repeated."""
    SOLID = "solid"


class BleedSource(StrEnum):
    """The source of bleed and wrapped sides of a filled print."""

    OWN = "own"
    """The picture itself."""
    EDGE = "edge"
    """The picture's edges: it ends at the front."""


@dataclass(frozen=True, slots=True)
class PrintPlan:
    """A print and the picture's placement on it."""

    target: PrintTarget = setting(PrintTarget(), "The paper.")
    fit: Fit = setting(Fit.INSIDE, "What is done where shapes differ.")
    centre: tuple[float, float] = setting(
        (0.5, 0.5), "Middle of the crop, as fractions of the picture."
    )
    zoom: float = number(1.0, 1, 20, "How much tighter than needed the crop is.")
    edge: Edge = setting(Edge.MIRROR, "What an extended picture goes on with.")
    colour: str = setting("#ffffff", "Colour of a solid edge.")
    distance_mm: float = number(300.0, 50, 100_000, "From how far the print is seen.", "mm")
    beyond: BleedSource = setting(
        BleedSource.OWN, "What bleed and wrapped sides of a filled print hold."
    )
    shape: Shape = setting(Shape(), "How it is cut and folded, and what is safe.")
    split: Split = setting(Split(), "Over which sheets it is split.")

    def __post_init__(self) -> None:
        check_fields(self)
        fits = len(self.centre) == 2 and all(0 <= fraction <= 1 for fraction in self.centre)
        require(fits, "centre", list(self.centre), "two fractions from 0 to 1")
        require(rgb_of(self.colour) is not None, "colour", self.colour, "a colour such as #f4f1e8")

    @property
    def rgb(self) -> tuple[int, int, int]:
        """The solid edge's colour, 0 to 255 each."""
        parts = rgb_of(self.colour)
        assert parts is not None  # looked at when it was made
        return parts

    @classmethod
    def from_json(cls, given: object) -> "PrintPlan":
        return from_json(cls, given)

    def to_json(self) -> dict[str, object]:
        form: dict[str, object] = to_json(self)
        return form

    def at(self, ppi: float) -> "PrintPlan":
        """Return the same print at another resolution."""
        return replace(self, target=replace(self.target, ppi=ppi))


@dataclass(frozen=True, slots=True)
class Layout:
    """The place of a picture in its print file. All in px of the file."""

    file: Size
    """Size of the file."""
    picture: Size
    """Size of the whole picture at that scale, which the coats have to make."""
    shown: Box
    """The part of the picture that is in the file."""
    left: int
    """The place of that part in the file."""
    top: int

    @property
    def extends(self) -> bool:
        """Whether the file extends beyond the picture."""
        return self.shown.size != self.file

    @property
    def crops(self) -> bool:
        return self.shown.size != self.picture


def lay_out(source: Size, plan: PrintPlan) -> Layout:
    """Return the layout of a picture on a print.

    Parameters
    ----------
    source : size of the picture in px; only its shape matters.
    plan : the print.

    Returns
    -------
    Layout of exact whole pixels. With `Fit.FILL` the picture covers the file on both sides, or the front
    where bleed and wrap are made from its edges; with `Fit.INSIDE` the file has the picture's size, with
    `Fit.EXTEND` the picture is in the middle of the front.
    """
    file = plan.target.pixels
    if plan.fit is Fit.FILL:
        covered = _covered(plan)
        scale = max(covered.width / source.width, covered.height / source.height) * plan.zoom
        picture = Size(
            max(covered.width, round(source.width * scale)),
            max(covered.height, round(source.height * scale)),
        )
    elif plan.fit is Fit.EXTEND:
        picture = fitted(source, *(min(pair) for pair in zip(plan.target.front, file, strict=True)))
    else:
        picture = fitted(source, *file)
    return _placed(picture, plan)


def _covered(plan: PrintPlan) -> Size:
    """Return the part of a filled print that the picture itself covers."""
    if plan.beyond is BleedSource.OWN:
        return plan.target.pixels
    return Size(*(min(pair) for pair in zip(plan.target.front, plan.target.pixels, strict=True)))


def native(picture: Size, plan: PrintPlan) -> tuple[Layout, float]:
    """Return the layout of a picture on a print without resampling, and the resulting resolution."""
    exact = lay_out(picture, plan)
    if exact.picture == picture:
        return exact, plan.target.ppi
    wanted = lay_out(picture, plan.at(FINEST_PPI)).picture  # so that rounding counts for little
    fraction = min(picture.width / wanted.width, picture.height / wanted.height)
    ppi = min(FINEST_PPI, max(COARSEST_PPI, FINEST_PPI * fraction))
    return _placed(picture, plan.at(ppi)), ppi


def _placed(picture: Size, plan: PrintPlan) -> Layout:
    """Return the layout of a picture that has its final size."""
    file, front = plan.target.pixels, plan.target.front
    if plan.fit is Fit.INSIDE:
        return Layout(picture, picture, Box.whole(picture), 0, 0)
    shown = Box.whole(picture)
    if plan.fit is Fit.FILL:
        shown = _crop(picture, _covered(plan), plan.centre)
        if plan.beyond is BleedSource.OWN:
            return Layout(shown.size, picture, shown, 0, 0)
    file = Size(max(file.width, shown.width), max(file.height, shown.height))
    beyond_top, beyond_right, beyond_bottom, beyond_left = plan.target.margins_mm
    left = _beyond(file.width - front.width, beyond_left, beyond_right)
    top = _beyond(file.height - front.height, beyond_top, beyond_bottom)
    left += (front.width - shown.width) // 2
    top += (front.height - shown.height) // 2
    left = min(file.width - shown.width, max(0, left))
    top = min(file.height - shown.height, max(0, top))
    return Layout(file, picture, shown, left, top)


def _crop(picture: Size, covered: Size, centre: tuple[float, float]) -> Box:
    """Return the part of a picture of a given size, as near to a centre as the picture's sides allow."""
    width, height = min(covered.width, picture.width), min(covered.height, picture.height)
    x = round(centre[0] * picture.width - width / 2)
    y = round(centre[1] * picture.height - height / 2)
    x = min(picture.width - width, max(0, x))
    y = min(picture.height - height, max(0, y))
    return Box(x, y, width, height)


def _beyond(total: int, first: float, second: float) -> int:
    """Return pixels of the first of two margins that share a total."""
    return round(total * first / (first + second)) if first + second else 0


def growth(size: Size, plan: PrintPlan) -> float:
    """Return the factor, along each side, by which a picture has to be enlarged for the print."""
    wanted = lay_out(size, plan).picture
    return max(wanted.width / size.width, wanted.height / size.height)


def missing(size: Size, plan: PrintPlan, unit: Unit = Unit.MM) -> str:
    """Return in one sentence how many pixels a picture lacks for the print."""
    target = plan.target
    paper = f"{unit.shown(target.width_mm)} × {unit.shown(target.height_mm)} {unit}"
    if lay_out(size, plan).picture == size:
        return f"Has exactly the pixels to print {paper} at {target.ppi:.4g} ppi."
    factor = growth(size, plan)
    if factor <= 1:
        return f"Has enough for {paper} at {target.ppi:.4g} ppi: it prints at {target.ppi / factor:.0f} ppi."
    shown = f"{factor:.2f}".rstrip("0").rstrip(".") if factor >= 1.005 else "a little more"
    return f"Needs {shown}{'×' if shown[0].isdigit() else ''} to print {paper} at {target.ppi:.4g} ppi."


@dataclass(frozen=True, slots=True)
class Whole:
    """A resolution near the one asked for at which the picture grows by a whole factor."""

    factor: int
    ppi: float
    picture: Size
    more: int
    """Change of the longer side in pixels; negative for fewer."""


def whole_factor(base: Size, plan: PrintPlan) -> Whole | None:
    """Return the nearest whole factor, when it is near enough to be worth it and not met already.

    Whole factors keep every later stage friendly to tiling: 4 × 832 is 3328, where 3307 leaves a
    last fit of a fraction.
    """
    wanted = growth(base, plan)
    factor = round(wanted)
    if factor < 1 or abs(factor / wanted - 1) > SMALL_MISFIT:
        return None
    picture = Size(base.width * factor, base.height * factor)
    asked = lay_out(base, plan).picture
    if picture == asked:
        return None
    ppi = plan.target.ppi
    for _ in range(
        8
    ):  # rounding to whole pixels moves the factor by a little; a few steps settle it
        ppi *= factor / growth(base, plan.at(ppi))
        if lay_out(base, plan.at(ppi)).picture == picture:
            return Whole(factor, ppi, picture, max(picture) - max(asked))
    return None
