"""Forms of prints: paper, layout, and print files."""

import math
from typing import Any, ClassVar

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.export.naming import USUAL, NameFields, named
from enamel.core.export.output import Compression, FileFormat, Output, PrintSettings
from enamel.core.fields import from_json, to_json
from enamel.core.geometry import Size
from enamel.core.pipeline.planning import StepEdit
from enamel.core.pipeline.treatment import RequestedFile
from enamel.core.printing.layout import BleedSource, Edge, Fit, PrintPlan
from enamel.core.printing.panels import Split, panels
from enamel.core.printing.paper import PaperStock
from enamel.core.printing.papers import PAPERS, PaperSize, paper_of
from enamel.core.printing.profiles import Intent, profile_names, profile_of
from enamel.core.printing.proof import Proof
from enamel.core.printing.shapes import Product, Shape, product_of, products
from enamel.core.printing.sizing import PRINT_PPI, Bleed, PrintTarget, Unit, length_mm, mm_of
from enamel.firings.forms.refine import SettingsForm, of_setting
from enamel.library.models import Piece
from enamel.prints.strips import Strip
from enamel.web.parameters import whole_number

FITS = [
    (Fit.INSIDE, "Fit inside"),
    (Fit.FILL, "Fill and crop"),
    (Fit.EXTEND, "Extend the edges"),
]
EDGES = [
    (Edge.MIRROR, "mirrored"),
    (Edge.BLUR, "mirrored, blurred"),
    (Edge.STRETCH, "drawn out"),
    (Edge.SOLID, "one colour"),
]
BEYONDS = [(BleedSource.OWN, "the picture itself"), (BleedSource.EDGE, "made from its edge")]
GROWTHS = [("1.5", "1.5×"), ("2", "2×"), ("3", "3×"), ("4", "4×")]


def paper_choices() -> list[Any]:
    """Named papers and products in their groups, and own size."""
    groups: dict[str, list[tuple[str, str]]] = {}
    things: list[PaperSize | Product] = [*PAPERS, *products()]
    for thing in things:
        groups.setdefault(thing.group, []).append((thing.name, thing.name))
    return [("", "own size"), *groups.items()]


def sheet_choices() -> list[Any]:
    """Papers that a large print can be tiled onto, and none."""
    return [
        ("", "not split"),
        *((paper.name, paper.name) for paper in PAPERS if paper.group in SPLIT_ON),
    ]


SPLIT_ON = ("ISO A", "US")
"""Groups of papers that common printers take."""
UNPRINTABLE_MM = 10.0
"""Width along two opposite edges together that such printers leave free, with room for marks."""


class PrintForm(SettingsForm):
    """A print and the picture's placement on it. Lengths are read with or without their unit."""

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
    fit = forms.ChoiceField(choices=FITS, widget=forms.RadioSelect, label="If proportions differ")
    centre_x = forms.FloatField(min_value=0, max_value=100, label="Crop across")
    centre_y = forms.FloatField(min_value=0, max_value=100, label="Crop down")
    zoom = of_setting(PrintPlan, "zoom", label="Crop zoom")
    edge = forms.ChoiceField(choices=EDGES, label="Edge")
    colour = forms.CharField(
        max_length=7, label="Colour", widget=forms.TextInput(attrs={"type": "color"})
    )
    wrap = forms.CharField(required=False, max_length=30, label="Wrapped sides")
    beyond = forms.ChoiceField(choices=BEYONDS, required=False, label="Bleed and wrap hold")
    split = forms.ChoiceField(choices=sheet_choices, required=False, label="Split over sheets of")
    overlap = forms.CharField(required=False, max_length=30, label="Overlap")
    distance = forms.CharField(max_length=30, label="Viewing distance")
    growth = forms.TypedChoiceField(choices=GROWTHS, coerce=float, label="Growth of a step")

    def __init__(self, *args: Any, unit: Unit, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.unit = unit

    @classmethod
    def showing(cls, plan: PrintPlan, start: Size, unit: Unit) -> "PrintForm":
        """Return the form filled in with a print."""
        target = plan.target
        size = target.pixels
        filled = {
            "sizing": "paper",
            "paper": _name_of(plan),
            "wrap": f"{unit.shown(target.wrap_mm)} {unit}",
            "beyond": plan.beyond,
            "split": _sheet_of(plan.split),
            "overlap": f"{unit.shown(plan.split.overlap_mm)} {unit}",
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
        """Return the print. For a valid form."""
        return self._plan

    def edits(self) -> dict[int, StepEdit]:
        """Return the changes to the proposed coats: fields ``strength-0``, ``upscaler-0`` and so on."""
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
            BleedSource(given["beyond"] or BleedSource.OWN),
            self._shape(),
            self._split(),
        )
        self.edits()

    def _shape(self) -> Shape:
        """Return the shape of the chosen product; None for a sheet of own size."""
        given = self.cleaned_data
        product = product_of(given["paper"]) if given["sizing"] == "paper" else None
        return product.shape if product else Shape()

    def _split(self) -> Split:
        given = self.cleaned_data
        paper = next((paper for paper in PAPERS if paper.name == given["split"]), None)
        if paper is None:
            return Split()
        overlap = self._length("overlap") if given["overlap"] else Split().overlap_mm
        sides = (paper.width_mm - UNPRINTABLE_MM, paper.height_mm - UNPRINTABLE_MM)
        target = self._target()
        # sheets have the orientation that takes fewer of them
        lying = [Split(*way, overlap) for way in (sides, sides[::-1])]
        return min(lying, key=lambda split: len(panels(target.pixels, target.ppi, split)))

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
            wrap = self._length("wrap") if given["wrap"] else 0.0
            return PrintTarget(
                self._length("width"), self._length("height"), ppi, self._bleed(), wrap
            )
        if given["sizing"] == "factor":
            if not given["factor"]:
                raise FieldRefusal("factor", "Say how many times larger.")
            size = Size(*(max(16, round(side * given["factor"])) for side in self.start))
        else:
            if not given["px_width"] or not given["px_height"]:
                raise FieldRefusal("px_width", "Give a width and a height.")
            size = Size(given["px_width"], given["px_height"])
        return PrintTarget(mm_of(size.width, ppi), mm_of(size.height, ppi), ppi)


def _name_of(plan: PrintPlan) -> str:
    """Return the name of the product or paper that a print has the size of; empty for an own size."""
    target = plan.target
    for product in products():
        sides = (product.width_mm, product.height_mm)
        if product.shape == plan.shape and sides == (target.width_mm, target.height_mm):
            return product.name
    paper = paper_of(target.width_mm, target.height_mm)
    return paper.name if paper else ""


def _sheet_of(split: Split) -> str:
    """Return the name of the paper that a print is tiled onto; empty for none."""
    if not split:
        return ""
    paper = paper_of(split.width_mm + UNPRINTABLE_MM, split.height_mm + UNPRINTABLE_MM)
    return paper.name if paper else ""


class PrintFileForm(forms.Form):
    """Form of a print file."""

    format = forms.ChoiceField(choices=[(kind, kind.label) for kind in FileFormat], label="Kind")
    bits = forms.TypedChoiceField(choices=[(8, "8 bits"), (16, "16 bits")], coerce=int)
    extent = forms.ChoiceField(
        choices=[("print", "On the current print"), ("whole", "The whole picture")],
        widget=forms.RadioSelect,
        required=False,
        label="Holds",
    )
    ppi = forms.FloatField(min_value=10, max_value=4800, label="Resolution")
    profile = forms.ChoiceField(label="Colours")
    intent = forms.ChoiceField(choices=[(one, str(one).capitalize()) for one in Intent])
    black_point = forms.BooleanField(required=False, label="Black to the paper's black")
    paper = forms.ChoiceField(
        choices=[(one, str(one).capitalize()) for one in PaperStock], label="Sharpen for"
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
    colours = forms.IntegerField(min_value=2, max_value=48, label="Colours")
    speckle = forms.IntegerField(min_value=0, max_value=40, label="Specks up to")
    metadata = forms.BooleanField(required=False, label="Say how it was made")
    pattern = forms.CharField(max_length=120, label="Name")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        chosen = [(name, profile_of(name).title) for name in profile_names()]
        self.fields["profile"].choices = chosen  # type: ignore[attr-defined]

    @classmethod
    def starting(cls) -> dict[str, Any]:
        """Return initial values."""
        usual = to_json(Output())
        return usual | {
            "format": usual["file"],
            "ppi": PRINT_PPI,
            "extent": "print",
            "pattern": USUAL,
        }

    def asked(self, piece: Piece) -> PrintSettings:
        """Return the requested file, on the piece's current print where that is asked for. For a valid
        form.
        """
        given = self.cleaned_data
        plan = piece.print_plan if given["extent"] == "print" else None
        return PrintSettings(self._output, plan, given["ppi"])

    @property
    def asked_of_many(self) -> RequestedFile:
        """Return the requested file for pieces that are not known yet. For a valid form."""
        given = self.cleaned_data
        settings = PrintSettings(self._output, None, given["ppi"])
        return RequestedFile(settings, given["extent"] == "print", given["pattern"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not math.isfinite(cleaned.get("ppi", PRINT_PPI)):
            self.add_error("ppi", "Give a number from 10 to 4800 ppi.")
        if not self.errors:
            own = {name: cleaned[name] for name in to_json(Output()) if name in cleaned}
            try:
                self._output = from_json(Output, own | {"file": cleaned["format"]})
                named(cleaned["pattern"], NameFields("x"), self._output)
            except FieldRefusal as refusal:
                self.add_error(
                    refusal.field if refusal.field in self.fields else None, refusal.message
                )
        return cleaned


class ProofForm(forms.Form):
    """Form of a soft proof: what it shows beside the file's own profile and intent."""

    white = forms.BooleanField(required=False, label="White of the paper")
    black = forms.BooleanField(required=False, label="Black of the ink")
    gamut = forms.BooleanField(required=False, label="Mark what is out of gamut")
    gain = of_setting(Proof, "gain", label="Dot gain")
    spread = forms.BooleanField(required=False, label="Spread of ink")
    from_distance = forms.BooleanField(required=False, label="At the print's viewing distance")

    def clean(self) -> dict[str, Any]:
        given = super().clean() or self.cleaned_data
        if not math.isfinite(given.get("gain", 0.0)):
            self.add_error("gain", "Give a number from 0 to 40 %.")
        return given

    def proof(self, wanted: PrintSettings, ppi: float) -> Proof:
        """Return the settings of a file's proof. For a valid form."""
        given, output = self.cleaned_data, wanted.output
        plan = wanted.plan or PrintPlan()
        return Proof(
            output.profile, output.intent, output.black_point, given["white"], given["black"],
            given["gamut"], given["gain"], output.paper if given["spread"] else PaperStock.NONE,
            plan.distance_mm if given["from_distance"] else 0.0, ppi,
        )  # fmt: skip


class StripForm(forms.Form):
    """Form of a test strip."""

    strip_sources = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple, required=False, label="Of"
    )
    strip_across = forms.FloatField(min_value=0, max_value=100, label="Middle across")
    strip_down = forms.FloatField(min_value=0, max_value=100, label="Middle down")
    strip_width = forms.FloatField(min_value=10, max_value=400, label="Crop's width")
    strip_height = forms.FloatField(min_value=10, max_value=400, label="Crop's height")

    def __init__(self, *args: Any, choices: list[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["strip_sources"].choices = choices  # type: ignore[attr-defined]

    @classmethod
    def starting(cls, layer: str) -> dict[str, Any]:
        usual = Strip()
        return {
            "strip_sources": [layer],
            "strip_across": 100 * usual.across,
            "strip_down": 100 * usual.down,
            "strip_width": usual.width_mm,
            "strip_height": usual.height_mm,
        }

    def strip(self) -> Strip:
        """Return the test strip. For a valid form."""
        given = self.cleaned_data
        return Strip(
            tuple(given["strip_sources"]), given["strip_across"] / 100, given["strip_down"] / 100,
            given["strip_width"], given["strip_height"],
        )  # fmt: skip
