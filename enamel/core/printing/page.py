"""Pages: the boxes, marks, folds and labels of a sheet, in mm from its top left corner."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from enamel.core.geometry import Size
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.panels import Panel
from enamel.core.printing.shapes import Direction
from enamel.core.printing.sizing import Bleed, mm_of

MARK_MM, MARK_GAP_MM = 5.0, 2.0
"""Length of crop marks, and their distance from the bleed."""
LABEL_MM = 2.6
"""Height of writing in the margin."""
PLAN_MM = 180.0
"""Longer side of the picture on the page that shows all panels."""


class Rect(NamedTuple):
    """A rectangle in mm."""

    left: float
    top: float
    right: float
    bottom: float

    @property
    def width(self) -> float:
        return self.right - self.left

    @property
    def height(self) -> float:
        return self.bottom - self.top

    def inset(self, by: float) -> "Rect":
        return Rect(self.left + by, self.top + by, self.right - by, self.bottom - by)


class LineSegment(NamedTuple):
    """A straight line in mm; folds are dashed."""

    x1: float
    y1: float
    x2: float
    y2: float
    dashed: bool = False


class Label(NamedTuple):
    """Writing, by its top left corner in mm."""

    x: float
    y: float
    words: str
    height: float = LABEL_MM


@dataclass(frozen=True, slots=True)
class Page:
    """A sheet. Width and height are those of what is printed, bleed included."""

    width: float
    height: float
    bleed: Bleed = Bleed()
    marks: bool = False
    folds: tuple[tuple[Direction, float], ...] = ()
    """Folds: direction, and distance from the left or top of the printed part."""
    label: str = ""
    """Text in the margin."""
    drawn: tuple[LineSegment, ...] = ()
    """Lines over the picture, relative to its top left corner."""
    labels: tuple[Label, ...] = ()
    """Text over the picture, likewise."""

    @property
    def slug(self) -> float:
        """Room for marks and writing around the bleed."""
        return MARK_GAP_MM + MARK_MM if self.marks else 0.0

    @property
    def media(self) -> Rect:
        """The whole sheet, with marks."""
        return Rect(0.0, 0.0, self.width + 2 * self.slug, self.height + 2 * self.slug)

    @property
    def bleed_box(self) -> Rect:
        """The part that is printed."""
        return self.media.inset(self.slug)

    @property
    def trim_box(self) -> Rect:
        """The part that remains after cutting."""
        left, top, right, bottom = self.bleed_box
        cut = self.bleed
        return Rect(left + cut.left, top + cut.top, right - cut.right, bottom - cut.bottom)

    def fold_lines(self) -> list[LineSegment]:
        """Folds from edge to edge of what is printed."""
        left, top, right, bottom = self.bleed_box
        return [
            LineSegment(left + at, top, left + at, bottom, True)
            if way is Direction.DOWN
            else LineSegment(left, top + at, right, top + at, True)
            for way, at in self.folds
        ]

    def mark_lines(self) -> list[LineSegment]:
        """Crop marks at the trim's corners and fold marks, all in the margin; none without marks."""
        if not self.marks:
            return []
        media, trim = self.media, self.trim_box
        at = [(Direction.DOWN, x, False) for x in (trim.left, trim.right)]
        at += [(Direction.ACROSS, y, False) for y in (trim.top, trim.bottom)]
        at += [(way, self.slug + place, True) for way, place in self.folds]
        lines = []
        for way, place, dashed in at:
            if way is Direction.DOWN:
                lines.append(LineSegment(place, 0, place, MARK_MM, dashed))
                lines.append(
                    LineSegment(place, media.bottom - MARK_MM, place, media.bottom, dashed)
                )
            else:
                lines.append(LineSegment(0, place, MARK_MM, place, dashed))
                lines.append(LineSegment(media.right - MARK_MM, place, media.right, place, dashed))
        return lines

    def all_lines(self) -> list[LineSegment]:
        """Marks, and lines over the picture."""
        slug = self.slug
        over = [LineSegment(x1 + slug, y1 + slug, x2 + slug, y2 + slug, dashed)
                for x1, y1, x2, y2, dashed in self.drawn]  # fmt: skip
        return [*self.mark_lines(), *over]

    def all_labels(self) -> list[Label]:
        """Writing in the margin and over the picture."""
        over = [
            label._replace(x=label.x + self.slug, y=label.y + self.slug) for label in self.labels
        ]
        if not (self.label and self.marks):
            return over
        beside = self.trim_box.left + MARK_GAP_MM
        return [Label(beside, self.media.bottom - MARK_MM + 1, self.label), *over]


def page_of(plan: PrintPlan | None, file: Size, ppi: float, *, marks: bool = False) -> Page:
    """Return the page of a file on its print, with trim and folds.

    A picture that only fits inside has neither bleed nor folds.
    """
    width, height = mm_of(file.width, ppi), mm_of(file.height, ppi)
    if plan is None or plan.fit is Fit.INSIDE:
        return Page(width, height, marks=marks)
    bleed, wrap = plan.target.bleed, plan.target.wrap_mm
    folds = [
        (fold.way, fold.at_mm + (bleed.left if fold.way is Direction.DOWN else bleed.top))
        for fold in plan.shape.folds
    ]
    if wrap:
        folds += [
            (Direction.DOWN, bleed.left + wrap),
            (Direction.DOWN, width - bleed.right - wrap),
        ]
        folds += [
            (Direction.ACROSS, bleed.top + wrap),
            (Direction.ACROSS, height - bleed.bottom - wrap),
        ]
    return Page(width, height, bleed, marks, tuple(folds))


def safe_box(page: Page, plan: PrintPlan) -> Rect | None:
    """Return the safe area: the front less the shape's margin; None without one."""
    by = plan.shape.safe_mm
    if not by or plan.fit is Fit.INSIDE:
        return None
    return page.trim_box.inset(plan.target.wrap_mm + by)


def panel_page(panel: Panel, whole: Page, ppi: float, title: str) -> Page:
    """Return the page of one panel of a print, with marks where neighbours begin, and bleed at the outer
    sides.
    """
    box = panel.box
    left, top = mm_of(box.x, ppi), mm_of(box.y, ppi)
    width, height = mm_of(box.width, ppi), mm_of(box.height, ppi)

    def rest(beyond: float) -> float:
        return max(0.0, beyond)

    cut = whole.bleed
    bleed = Bleed(
        top=rest(cut.top - top),
        right=rest(left + width - (whole.width - cut.right)),
        bottom=rest(top + height - (whole.height - cut.bottom)),
        left=rest(cut.left - left),
    )
    folds = [
        (way, at - (left if way is Direction.DOWN else top))
        for way, at in whole.folds
        if 0
        < at - (left if way is Direction.DOWN else top)
        < (width if way is Direction.DOWN else height)
    ]
    return replace(whole, width=width, height=height, bleed=bleed, folds=tuple(folds), marks=True,
                   label=f"{title}: {panel.name}")  # fmt: skip


def plan_page(parts: Sequence[Panel], file: Size, ppi: float, title: str) -> Page:
    """Return the assembly page of panels: their edges and names over the whole picture."""
    scale = PLAN_MM / max(file)
    lines, labels = [], []
    for panel in parts:
        box = panel.box
        left, top = box.x * scale, box.y * scale
        right, bottom = box.right * scale, box.bottom * scale
        lines += [LineSegment(left, top, right, top), LineSegment(right, top, right, bottom),
                  LineSegment(left, bottom, right, bottom), LineSegment(left, top, left, bottom)]  # fmt: skip
        labels.append(Label(left + 2, top + 2, f"{panel.row}.{panel.column}", 4.0))
    width, height = mm_of(file.width, ppi), mm_of(file.height, ppi)
    columns, rows = parts[-1].column, parts[-1].row
    words = f"{title}: {width:.0f} × {height:.0f} mm on {columns} × {rows} sheets (row.column)"
    return Page(file.width * scale, file.height * scale, marks=True, label=words,
                drawn=tuple(lines), labels=tuple(labels))  # fmt: skip
