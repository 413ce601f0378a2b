"""The print: paper, layout, and the file that is taken away."""

import math
from typing import Any, ClassVar

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.fields import from_json, to_json
from enamel.core.fire.planning import StepEdit
from enamel.core.geometry import Size
from enamel.core.print.layout import Edge, Fit, PrintPlan
from enamel.core.print.naming import USUAL, Facts, named
from enamel.core.print.output import Compression, FileFormat, Output, PrintSettings
from enamel.core.print.paper import Paper
from enamel.core.print.papers import PAPERS, paper_of
from enamel.core.print.profiles import Intent, profile_names, profile_of
from enamel.core.print.sizing import PRINT_PPI, Bleed, PrintTarget, Unit, length_mm, mm_of
from enamel.kiln.models import Piece
from enamel.studio.asked import whole_number
from enamel.studio.forms.settings import SettingsForm, of_setting

FITS = [
    (Fit.INSIDE, "Fit inside"),
    (Fit.FILL, "Fill and crop"),
    (Fit.EXTEND, "Extend the edges"),
]
EDGES = [(Edge.MIRROR, "mirrored"), (Edge.BLUR, "mirrored, blurred"), (Edge.SOLID, "one colour")]
GROWTHS = [("1.5", "1.5×"), ("2", "2×"), ("3", "3×"), ("4", "4×")]


def paper_choices() -> list[Any]:
    """Named papers in their groups, and none of them."""
    groups: dict[str, list[tuple[str, str]]] = {}
    for paper in PAPERS:
        groups.setdefault(paper.group, []).append((paper.name, paper.name))
    return [("", "own size"), *groups.items()]


class PrintForm(SettingsForm):
    """A print and how the picture lies on it. Lengths are read with or without their unit."""

    SHOWN_BY: ClassVar[dict[str, str]] = {"width_mm": "width", "height_mm": "height"}

    sizing = forms.ChoiceField(
        choices=[("paper", "Paper"), ("pixels", "Pixels"), ("factor", "Factor")],
        widget=forms.RadioSelect,
        label="Size by",
    )
    paper = forms.ChoiceField(choices=paper_choices, required=False, label="Paper")
    width = forms.CharField(required=False, max_length=30, label="Width")
    height = forms.CharField(required=False, max_length=30, label="Height")
    bleed = forms.CharField(required=False, max_length=60, label="Bleed")
    px_width = forms.IntegerField(min_value=16, max_value=65500, required=False, label="Width")
    px_height = forms.IntegerField(min_value=16, max_value=65500, required=False, label="Height")
    factor = forms.FloatField(min_value=0.05, max_value=64, required=False, label="Factor")
    ppi = of_setting(PrintTarget, "ppi", label="Resolution")
    fit = forms.ChoiceField(choices=FITS, widget=forms.RadioSelect, label="Where shapes differ")
    centre_x = forms.FloatField(min_value=0, max_value=100, label="Crop across")
    centre_y = forms.FloatField(min_value=0, max_value=100, label="Crop down")
    zoom = of_setting(PrintPlan, "zoom", label="Crop zoom")
    edge = forms.ChoiceField(choices=EDGES, label="Edge")
    colour = forms.CharField(
        max_length=7, label="Colour", widget=forms.TextInput(attrs={"type": "color"})
    )
    distance = forms.CharField(max_length=30, label="Seen from")
    growth = forms.TypedChoiceField(choices=GROWTHS, coerce=float, label="Growth of a step")

    def __init__(self, *args: Any, unit: Unit, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.unit = unit

    @classmethod
    def showing(cls, plan: PrintPlan, start: Size, unit: Unit) -> "PrintForm":
        """The form filled in with a print."""
        target = plan.target
        paper = paper_of(target.width_mm, target.height_mm)
        size = target.pixels
        filled = {
            "sizing": "paper",
            "paper": paper.name if paper else "",
            "width": f"{unit.shown(target.width_mm)} {unit}",
            "height": f"{unit.shown(target.height_mm)} {unit}",
            "bleed": target.bleed.written(unit),
            "px_width": size.width,
            "px_height": size.height,
            "factor": round(min(size.width / start.width, size.height / start.height), 4),
            "ppi": f"{round(target.ppi, 4):g}",
            "fit": plan.fit,
            "centre_x": round(100 * plan.centre[0], 2),
            "centre_y": round(100 * plan.centre[1], 2),
            "zoom": f"{plan.zoom:g}",
            "edge": plan.edge,
            "colour": plan.colour,
            "distance": f"{unit.shown(plan.distance_mm)} {unit}",
            "growth": "2",
        }
        return cls(filled, start=start, unit=unit)

    def plan(self) -> PrintPlan:
        """The print. For a valid form."""
        return self._plan

    def edits(self) -> dict[int, StepEdit]:
        """What was changed of the proposed coats: fields ``strength-0``, ``upscaler-0`` and so on."""
        found: dict[int, StepEdit] = {}
        for name, value in self.data.items():
            what, _, place = name.partition("-")
            number = whole_number(place)
            if what not in ("strength", "upscaler") or number is None or not value:
                continue
            edit = found.get(number, StepEdit())
            if what == "upscaler":
                found[number] = StepEdit(edit.strength, value)
            else:
                found[number] = StepEdit(self._strength(value), edit.upscaler)
        return found

    @staticmethod
    def _strength(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            value = math.nan
        if not 0 <= value <= 1:
            raise FieldRefusal("strength", f"A step's strength is {text}; it must be from 0 to 1.")
        return value

    def _read(self) -> None:
        given = self.cleaned_data
        distance = self._length("distance")
        self._plan = PrintPlan(
            self._target(),
            Fit(given["fit"]),
            (given["centre_x"] / 100, given["centre_y"] / 100),
            given["zoom"],
            Edge(given["edge"]),
            given["colour"],
            distance,
        )
        self.edits()

    def _length(self, name: str) -> float:
        try:
            return length_mm(self.cleaned_data[name], self.unit)
        except FieldRefusal as refusal:
            raise FieldRefusal(name, refusal.message) from None

    def _bleed(self) -> Bleed:
        try:
            return Bleed.read(self.cleaned_data["bleed"], self.unit)
        except FieldRefusal as refusal:
            raise FieldRefusal("bleed", refusal.message) from None

    def _target(self) -> PrintTarget:
        given = self.cleaned_data
        ppi = given["ppi"]
        if given["sizing"] == "paper":
            return PrintTarget(self._length("width"), self._length("height"), ppi, self._bleed())
        if given["sizing"] == "factor":
            if not given["factor"]:
                raise FieldRefusal("factor", "Say how many times larger.")
            size = Size(*(max(16, round(side * given["factor"])) for side in self.start))
        else:
            if not given["px_width"] or not given["px_height"]:
                raise FieldRefusal("px_width", "Give a width and a height.")
            size = Size(given["px_width"], given["px_height"])
        return PrintTarget(mm_of(size.width, ppi), mm_of(size.height, ppi), ppi)


class PrintFileForm(forms.Form):
    """What the print file is."""

    format = forms.ChoiceField(choices=[(kind, kind.upper()) for kind in FileFormat])
    bits = forms.TypedChoiceField(choices=[(8, "8 bits"), (16, "16 bits")], coerce=int)
    lies = forms.ChoiceField(
        choices=[("print", "On the print in hand"), ("whole", "The whole picture")],
        widget=forms.RadioSelect,
        required=False,
        label="Holds",
    )
    ppi = forms.FloatField(min_value=10, max_value=4800, label="Resolution")
    profile = forms.ChoiceField(label="Colours")
    intent = forms.ChoiceField(choices=[(one, str(one).capitalize()) for one in Intent])
    black_point = forms.BooleanField(required=False, label="Black to the paper's black")
    paper = forms.ChoiceField(
        choices=[(one, str(one).capitalize()) for one in Paper], label="Sharpen for"
    )
    compression = forms.ChoiceField(
        choices=[(one, str(one).upper()) for one in Compression], label="Packed"
    )
    tiled = forms.BooleanField(required=False, label="Cut into tiles")
    quality = forms.IntegerField(min_value=30, max_value=100, label="Quality")
    full_colour = forms.BooleanField(required=False, label="Colours at full resolution")
    longest = forms.IntegerField(min_value=0, max_value=65_500, label="Longest side")
    preview = forms.BooleanField(required=False, label="Mark as a preview copy")
    marks = forms.BooleanField(required=False, label="Crop marks")
    speaks = forms.BooleanField(required=False, label="Say how it was made")
    pattern = forms.CharField(max_length=120, label="Name")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        chosen = [(name, profile_of(name).title) for name in profile_names()]
        self.fields["profile"].choices = chosen  # type: ignore[attr-defined]

    @classmethod
    def starting(cls) -> dict[str, Any]:
        """Values to begin with."""
        usual = to_json(Output())
        return usual | {
            "format": usual["file"],
            "ppi": PRINT_PPI,
            "lies": "print",
            "pattern": USUAL,
        }

    def asked(self, piece: Piece) -> PrintSettings:
        """What was asked for, on the piece's print in hand if so. For a valid form."""
        given = self.cleaned_data
        plan = piece.print_plan if given["lies"] == "print" else None
        return PrintSettings(self._output, plan, given["ppi"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not math.isfinite(cleaned.get("ppi", PRINT_PPI)):
            self.add_error("ppi", "Give a number from 10 to 4800 ppi.")
        if not self.errors:
            own = {name: cleaned[name] for name in to_json(Output()) if name in cleaned}
            try:
                self._output = from_json(Output, own | {"file": cleaned["format"]})
                named(cleaned["pattern"], Facts("x"), self._output)
            except FieldRefusal as refusal:
                self.add_error(
                    refusal.field if refusal.field in self.fields else None, refusal.message
                )
        return cleaned
