"""The panels of prints: missing pixels, layout, the largest print sizes, proposed coats, files."""

import json
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from enamel.catalogue.models import offered
from enamel.core.errors import Refusal
from enamel.core.export.naming import PLACES
from enamel.core.export.output import PrintSettings
from enamel.core.fields import to_json
from enamel.core.geometry import Size
from enamel.core.pipeline.planning import PlannedCoat, propose
from enamel.core.pipeline.predict import CoatCost
from enamel.core.printing.layout import (
    Fit,
    Layout,
    PrintPlan,
    growth,
    lay_out,
    missing,
    native,
    whole_factor,
)
from enamel.core.printing.sizing import (
    MM_PER_INCH,
    Quality,
    Unit,
    largest_print,
    mm_of,
    needed_ppi,
    quality_of,
)
from enamel.core.schedule import Schedule, content_key
from enamel.firings import services as firings
from enamel.library.models import Layer, Piece
from enamel.prints.forms import PrintFileForm, PrintForm, ProofForm, StripForm
from enamel.prints.models import OutputPreset, PrintFile
from enamel.prints.presenters.scale import drawn_scale
from enamel.prints.presenters.sheet import sheet_drawn
from enamel.prints.services import predicted
from enamel.swatches.models import Swatch

WHOLE = "whole"
"""Value in place of a print: the picture as it is."""
MOST_SWATCHES = 24
PROOF_BOXES = ("white", "black", "gamut", "spread", "from_distance")
FILES_SHOWN = 8
"""How many print files of a piece are listed; the newest."""
LARGEST_STEP = 64.0
"""Side of the square that represents the largest proposed coat."""


@dataclass(frozen=True, slots=True)
class Step:
    """A proposed coat with its time, and the side of the square that represents its pixels."""

    number: int
    planned: PlannedCoat
    cost: CoatCost
    side: float

    @property
    def strength(self) -> float:
        return self.planned.coat.refine.strength if self.planned.coat.refine else 0.0


@dataclass(frozen=True, slots=True)
class Largest:
    """The largest print size of one quality."""

    quality: Quality
    ppi: float
    width_mm: float
    height_mm: float


def largest_prints(size: Size, distance_mm: float) -> list[Largest]:
    """Return the largest print size of a picture at each quality, for a viewing distance."""
    found = []
    for quality in Quality:
        ppi = needed_ppi(quality, distance_mm)
        found.append(Largest(quality, ppi, *largest_print(size, ppi)))
    return found


def planned(piece: Piece, form: PrintForm) -> list[PlannedCoat]:
    """Return the coats that a valid form's print takes, with the artist's changes."""
    base = piece.base.size
    first = piece.schedule.coats[0]
    return propose(
        base,
        lay_out(base, form.plan()).picture,
        first.refine,
        first.upscaler,
        growth=form.cleaned_data["growth"],
        edits=form.edits(),
    )


def present_print(piece: Piece, layer: Layer, form: PrintForm) -> dict[str, Any]:
    """Return what the page shows of a valid form's print."""
    plan, base, unit = form.plan(), piece.base.size, form.unit
    layout = lay_out(base, plan)
    target = plan.target
    prints = largest_prints(layer.size, plan.distance_mm)
    file_mm = tuple(mm_of(side, target.ppi) for side in layout.file)
    trim_mm = (target.width_mm, target.height_mm) if plan.fit is not Fit.INSIDE else file_mm
    best = prints[0]
    now_layout, now_ppi = native(layer.size, plan)
    return {
        "layout": layout,
        "layout_json": layout_as_json(layout, plan),
        "unit": unit,
        "layer": layer,
        "plan": plan,
        "missing": missing(layer.size, plan, unit),
        "growth": growth(base, plan),
        "rounding": _rounding(plan, unit) if plan.fit is not Fit.INSIDE else "",
        "now_ppi": now_ppi,
        "now_file": now_layout.file,
        "now_quality": quality_of(now_ppi, plan.distance_mm),
        "whole": whole_factor(base, plan),
        "prints": prints,
        "scale": drawn_scale(file_mm, trim_mm, (best.width_mm, best.height_mm)),
    } | present_steps(piece, form)


def present_steps(piece: Piece, form: PrintForm) -> dict[str, Any]:
    """Return the proposed coats with their times."""
    coats = planned(piece, form)
    prediction = firings.predict_schedule(piece.base, Schedule(tuple(step.coat for step in coats)))
    largest = max(step.size.megapixels for step in coats)
    steps = [
        Step(number, step, cost, LARGEST_STEP * (step.size.megapixels / largest) ** 0.5)
        for number, (step, cost) in enumerate(zip(coats, prediction.coats, strict=True))
    ]
    return {"steps": steps, "cost": prediction, "upscalers": offered().upscalers}


def present_file(piece: Piece, layer: Layer, unit: Unit, form: PrintFileForm) -> dict[str, Any]:
    """Return the page of print files: what a layer gives on the current print, and the piece's files."""
    plan = piece.print_plan
    layout, ppi = native(layer.size, plan)
    proof_form = ProofForm(initial={"gain": 0})
    return {
        "laid": layout,
        "laid_ppi": ppi,
        "plan": plan,
        "print_files": PrintFile.objects.filter(layer__piece=piece).prefetch_related("orders")[
            :FILES_SHOWN
        ],
        "unit": unit,
        "exact": lay_out(layer.size, plan).picture == layer.size,
        "missing": missing(layer.size, plan, unit),
        "quality": quality_of(ppi, plan.distance_mm),
        "strip": StripForm(StripForm.starting(f"layer:{layer.pk}"), choices=strip_choices(piece)),
        "outputs": OutputPreset.objects.filter(owner_id=piece.owner_id),
        "proof_form": proof_form,
        "proof_boxes": [proof_form[name] for name in PROOF_BOXES],
        "name_places": [f"{{{name}}}" for name in PLACES],
    } | file_cost(layer, form)


def strip_choices(piece: Piece) -> list[tuple[str, str]]:
    """Return what a test strip can show: the piece's layers and its newest swatches."""
    layers = [
        (f"layer:{layer.pk}", f"{layer.get_kind_display()} {layer.width} × {layer.height}")
        for layer in piece.layers.order_by("-created")
    ]
    done = Swatch.objects.filter(sheet__piece=piece, state=Swatch.State.DONE)
    swatches = [
        (f"swatch:{swatch.pk}", f"Swatch {swatch.label or swatch.pk}")
        for swatch in done.order_by("-sheet__created", "row", "column")[:MOST_SWATCHES]
    ]
    return layers + swatches


def file_cost(layer: Layer, form: PrintFileForm) -> dict[str, Any]:
    """Return what the current settings give: the file's size, name, bytes, and what is done for paper and
    ink.
    """
    if not form.is_valid():
        return {}
    wanted = form.asked(layer.piece)
    try:
        return {
            "sheet": sheet_drawn(layer.size, wanted),
            "laid_query": urlencode({"plan": _known_by(wanted)}),
            "cost": predicted(layer, wanted, form.cleaned_data["pattern"]),
        }
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return {}


def _known_by(wanted: PrintSettings) -> str:
    """Return a name for the picture's placement, so that another layout has another address."""
    plan = wanted.laid_on
    return content_key("laid", to_json(plan))[:12] if plan else WHOLE


def layout_as_json(layout: Layout, plan: PrintPlan) -> str:
    """Return the places of file and trim on the picture, as fractions of its sides."""
    width, height = layout.picture
    bleed, ppi = plan.target.bleed, plan.target.ppi
    file: list[float] = [
        layout.shown.x - layout.left, layout.shown.y - layout.top, *layout.file,
    ]  # fmt: skip
    inset = [
        side / MM_PER_INCH * ppi for side in (bleed.left, bleed.top, bleed.right, bleed.bottom)
    ]
    if plan.fit is Fit.INSIDE:
        inset = [0.0] * 4
    trim = _within(file, inset)
    wrap = plan.target.wrap_mm / MM_PER_INCH * ppi
    front = _within(trim, [wrap if plan.fit is not Fit.INSIDE else 0.0] * 4)
    sides = (width, height, width, height)
    boxes = {"file": file, "trim": trim, "front": front}
    fractions = {
        name: [round(length / side, 6) for length, side in zip(box, sides, strict=True)]
        for name, box in boxes.items()
    }
    return json.dumps({"fit": plan.fit} | fractions)


def _within(box: list[float], inset: list[float]) -> list[float]:
    """Return a box of left, top, width and height, reduced by margins at left, top, right and bottom."""
    left, top, right, bottom = inset
    return [box[0] + left, box[1] + top, box[2] - left - right, box[3] - top - bottom]


def _rounding(plan: PrintPlan, unit: Unit) -> str:
    """Return in words how rounding to whole pixels changes the size; empty below a hundredth of a mm."""
    parts = [
        f"{abs(by):.2f} mm {'more' if by > 0 else 'less'} {way}"
        for by, way in zip(plan.target.rounding(), ("across", "down"), strict=True)
        if abs(by) >= 0.005
    ]
    return (
        f"Whole pixels make it {' and '.join(parts)}." if parts else "Whole pixels hit it exactly."
    )
