"""The sheet of a print file, drawn to scale: the picture on it, boxes, marks, folds, panels."""

from dataclasses import dataclass

from enamel.core.export.output import PrintSettings
from enamel.core.export.placed import laid
from enamel.core.geometry import Size
from enamel.core.printing.page import LineSegment, Rect, page_of, safe_box
from enamel.core.printing.panels import panels
from enamel.core.printing.shapes import Outline
from enamel.core.printing.sizing import mm_of

AROUND = 0.03
"""Room around the sheet, as a fraction of its longer side."""


@dataclass(frozen=True, slots=True)
class SheetDrawing:
    """The drawing, in mm."""

    media: Rect
    printed: Rect
    trim: Rect | None
    """The trim; None where nothing is cut off."""
    safe: Rect | None
    outline: Outline
    corner: float
    marks: list[LineSegment]
    folds: list[LineSegment]
    panels: list[tuple[Rect, str]]
    view: Rect
    """The extent of the drawing: the sheet with room around it."""
    words: str
    """Text alternative of the drawing."""

    @property
    def stroke(self) -> float:
        """Width of a fine line."""
        return max(self.view.width, self.view.height) / 700


def sheet_drawn(size: Size, wanted: PrintSettings) -> SheetDrawing:
    """Return the drawing of a print file's sheet, for a layer of that size."""
    _, ppi, file = laid(wanted, size)
    plan = wanted.laid_on
    page = page_of(plan, file, ppi, marks=wanted.output.marks)
    parts = panels(file, ppi, plan.split) if plan else []
    printed, slug = page.bleed_box, page.slug
    split = [
        (
            Rect(*(slug + mm_of(side, ppi) for side in
                   (part.box.x, part.box.y, part.box.right, part.box.bottom))),
            f"{part.row}.{part.column}",
        )
        for part in parts
        if len(parts) > 1
    ]  # fmt: skip
    room = AROUND * max(page.media.width, page.media.height)
    shape = plan.shape if plan else None
    trim = page.trim_box if page.trim_box != printed else None
    words = [f"{page.trim_box.width:.0f} × {page.trim_box.height:.0f} mm after trimming"]
    words += [f"{len(page.folds)} fold{'' if len(page.folds) == 1 else 's'}"] if page.folds else []
    words += [f"on {len(split)} sheets"] if split else []
    return SheetDrawing(
        page.media, printed, trim, safe_box(page, plan) if plan else None,
        shape.outline if shape else Outline.RECTANGLE, shape.corner_mm if shape else 0.0,
        page.mark_lines(), page.fold_lines(), split, page.media.inset(-room), ", ".join(words),
    )  # fmt: skip
