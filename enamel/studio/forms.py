"""What artists fill in. Ranges and sentences come from core; a form only reads and shows them."""

import dataclasses
import math
import re
from typing import Any, ClassVar

from django import forms

from enamel.core.diffusion.samplers import Sampler
from enamel.core.diffusion.sigmas import Spacing
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.geometry import Size
from enamel.core.printing import FileFormat
from enamel.core.schedule import Coat, JoinPass, Mix, Mode, Order, Refine, Region
from enamel.core.sizing import MM_PER_INCH, PRINT_PPI, PrintTarget, fitted
from enamel.core.touchup import TouchUp
from enamel.core.weights import cards
from enamel.kiln.models import SUBJECTS, Suited, refiners_offered, upscalers_offered

SAMPLERS = [
    (Sampler.EULER, "Euler"),
    (Sampler.EULER_ANCESTRAL, "Euler ancestral"),
    (Sampler.HEUN, "Heun"),
    (Sampler.DPMPP_2M, "DPM++ 2M"),
]
SPACINGS = [(Spacing.KARRAS, "Karras"), (Spacing.UNIFORM, "Uniform")]
ORDERS = [
    (Order.ROWS, "Row by row"),
    (Order.CHECKERBOARD, "Checkerboard: gaps grow on"),
    (Order.CENTRE_OUT, "Centre out"),
]
MODES = [
    (Mode.SEPARATE, "Separate: each tile alone"),
    (Mode.JOINT, "Joint: step by step, no joins"),
]
UNITS = {"mm": 1.0, "cm": 10.0, "in": MM_PER_INCH}


def of_setting(kind: type, name: str, **more: Any) -> forms.Field:
    """A number field with the range, unit and sentence that a core setting declares."""
    spec = next(spec for spec in dataclasses.fields(kind) if spec.name == name)
    whole = spec.type is int or spec.type == (int | None)
    field = forms.IntegerField if whole else forms.FloatField
    attributes = {"step": "any" if not whole else 1, "inputmode": "numeric" if whole else "decimal"}
    return field(
        min_value=spec.metadata["low"],
        max_value=spec.metadata["high"],
        help_text=spec.metadata["doc"],
        widget=forms.NumberInput(attrs=attributes),
        **more,
    )


def side(label: str) -> forms.IntegerField:
    return forms.IntegerField(min_value=64, max_value=4096, label=label)


def offer(form: forms.Form, field: str, names: list[str]) -> None:
    """Give a choice field the names there are now, and the one it has, if it is still at hand."""
    choices = form.fields[field]
    assert isinstance(choices, forms.ChoiceField)
    chosen = form.data.get(field)
    if chosen not in names and any(chosen == card.name for card in cards()):
        names = [*names, str(chosen)]
    choices.choices = [(name, name.capitalize() or "nothing") for name in names]


class SettingsForm(forms.Form):
    """A form that ends in a value of core's, whose refusals are put beside their fields.

    ``start`` is the size of the picture that the settings are for.
    """

    SHOWN_BY: ClassVar[dict[str, str]] = {
        "overlap_share": "overlap",
        "tile": "tile_width",
        "size": "width",
    }
    """Fields for settings of core's that have another name on the page."""

    def __init__(self, *args: Any, start: Size, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.start = start

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not self.errors:
            try:
                self._read()
            except FieldRefusal as refusal:
                name = refusal.field.split(".")[-1]
                name = self.SHOWN_BY.get(name, name)
                self.add_error(name if name in self.fields else None, refusal.message)
            except Refusal as refusal:
                self.add_error(None, str(refusal))
        return cleaned

    def _read(self) -> None:
        raise NotImplementedError


class SizeFields(SettingsForm):
    """A size in pixels or on paper, whichever ``sizing`` says; the form has to have that field."""

    width = forms.IntegerField(min_value=16, required=False, label="Width")
    height = forms.IntegerField(min_value=16, required=False, label="Height")
    paper_width = forms.FloatField(min_value=0.1, required=False, label="Paper width")
    paper_height = forms.FloatField(min_value=0.1, required=False, label="Paper height")
    unit = forms.ChoiceField(choices=[(unit, unit) for unit in UNITS], label="Unit")
    ppi = forms.FloatField(min_value=10, max_value=4800, label="Resolution")
    bleed = forms.FloatField(min_value=0, required=False, label="Bleed")

    def wanted(self) -> Size:
        """The size in px, of the picture's shape; on paper, within the paper."""
        given = self.cleaned_data
        if given["sizing"] == "pixels":
            if not given["width"] and not given["height"]:
                raise FieldRefusal("width", "Give a width, a height or both.")
            return fitted(self.start, given["width"], given["height"])
        if not given["paper_width"] or not given["paper_height"]:
            raise FieldRefusal("paper_width", "Give the width and the height of the paper.")
        mm = UNITS[given["unit"]]
        target = PrintTarget(
            given["paper_width"] * mm,
            given["paper_height"] * mm,
            given["ppi"],
            (given["bleed"] or 0) * mm,
        )
        return fitted(self.start, *target.pixels)


class RefineFields(SettingsForm):
    """The settings of a refinement, shared by coats and touch-ups."""

    model = forms.ChoiceField(label="Refiner")
    strength = of_setting(Refine, "strength", label="Denoising strength")
    steps = of_setting(Refine, "steps", label="Steps")
    seed = of_setting(Refine, "seed", label="Seed")
    guidance = of_setting(Refine, "guidance", label="Guidance scale")
    hold = of_setting(Refine, "hold", label="Hold")
    grit = of_setting(Refine, "grit", label="Grit")
    sampler = forms.ChoiceField(choices=SAMPLERS, label="Sampler")
    spacing = forms.ChoiceField(choices=SPACINGS, label="Noise levels")
    prompt = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 2}), label="Prompt"
    )
    negative_prompt = forms.CharField(required=False, label="Negative prompt")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        offer(self, "model", refiners_offered())

    def refine(self, **more: Any) -> Refine:
        given = {name: self.cleaned_data[name] for name in RefineFields.base_fields}
        given["sampler"] = Sampler(given["sampler"])
        given["spacing"] = Spacing(given["spacing"])
        return Refine(**given, **more)


def shown(refine: Refine, names: Any) -> dict[str, Any]:
    """A refinement's settings as fields show them."""
    return {name: getattr(refine, name) for name in names}


OVERLAP = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(px|%)?\s*")
REGION = re.compile(r"\s*" + r"([\d.]+)\s*%?\s+" * 3 + r"([\d.]+)\s*%?\s*:\s*(.+)")


class CoatForm(RefineFields, SizeFields):
    """One coat of a schedule: the size wanted, then how to get there."""

    sizing = forms.ChoiceField(
        choices=[("factor", "Factor"), ("pixels", "Pixels"), ("paper", "Paper")],
        widget=forms.RadioSelect,
        label="Size by",
    )
    factor = of_setting(Coat, "factor", required=False, label="Factor")
    upscaler = forms.ChoiceField(label="Upscaler")
    second = forms.ChoiceField(required=False, label="Mixed with")
    weight = of_setting(Mix, "weight", label="Its weight")
    tile_width = side("Tile width")
    tile_height = side("Tile height")
    overlap = forms.CharField(label="Overlap")
    feather = of_setting(Refine, "feather", label="Feather")
    order = forms.ChoiceField(choices=ORDERS, label="Order")
    mode = forms.ChoiceField(choices=MODES, label="Mode")
    join_pass = forms.BooleanField(required=False, label="Pass over the joins")
    join_strength = of_setting(JoinPass, "strength", label="Its strength")
    join_width = of_setting(JoinPass, "width", label="Its width")
    contrast = of_setting(Refine, "contrast", label="Start contrast")
    chroma = of_setting(Refine, "chroma", label="Start chroma")
    blend = of_setting(Refine, "blend", label="Start from")
    guide = of_setting(Refine, "guide", label="Guided by")
    anchor = of_setting(Refine, "anchor", label="Colour anchoring")
    anchor_radius = of_setting(Refine, "anchor_radius", label="Its radius")
    run_of = forms.IntegerField(min_value=2, max_value=24, label="Seeds in a run")
    regions = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 2}), label="Words for parts"
    )

    REFINE = (
        "feather", "order", "mode", "contrast", "chroma", "blend", "guide", "anchor",
        "anchor_radius",
    )  # fmt: skip
    """Fields that are settings of `Refine` as they are, besides those of `RefineFields`."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        names = upscalers_offered()
        offer(self, "upscaler", names)
        offer(self, "second", ["", *names])

    @classmethod
    def showing(cls, coat: Coat, start: Size) -> "CoatForm":
        """The form filled in with a coat."""
        refine = coat.refine or Refine(strength=0)
        size = coat.size_from(start)
        joins = refine.joins or JoinPass()
        share = refine.overlap_share
        filled = {
            "sizing": "pixels" if coat.size else "factor",
            "factor": coat.factor or (None if coat.size else 1.0),
            "width": size.width,
            "height": size.height,
            "unit": "mm",
            "ppi": PRINT_PPI,
            "bleed": 0,
            "upscaler": coat.upscaler,
            "second": coat.mix.upscaler if coat.mix else "",
            "weight": (coat.mix or Mix()).weight,
            "tile_width": refine.tile[0],
            "tile_height": refine.tile[1],
            "overlap": f"{refine.overlap} px" if share is None else f"{share * 100:g} %",
            "join_pass": refine.joins is not None,
            "join_strength": joins.strength,
            "join_width": joins.width,
            "run_of": 4,
            "regions": "\n".join(
                " ".join(f"{100 * share:g}%" for share in region.box) + f": {region.prompt}"
                for region in refine.regions
            ),
            **shown(refine, (*RefineFields.base_fields, *cls.REFINE)),
        }
        return cls(filled, start=start)

    def coat(self) -> Coat:
        """The coat. For a valid form."""
        return self._coat

    def _read(self) -> None:
        given = self.cleaned_data
        joins = None
        if given["join_pass"]:
            joins = JoinPass(given["join_strength"], given["join_width"])
        plain = {name: given[name] for name in self.REFINE}
        plain |= {"order": Order(given["order"]), "mode": Mode(given["mode"])}
        refine = self.refine(
            tile=(given["tile_width"], given["tile_height"]),
            joins=joins,
            regions=self._regions(),
            **self._overlap(),
            **plain,
        )
        mix = Mix(given["second"], given["weight"]) if given["second"] else None
        self._coat = Coat(**self._size(), upscaler=given["upscaler"], mix=mix, refine=refine)
        self._coat.size_from(self.start)

    def _overlap(self) -> dict[str, Any]:
        found = OVERLAP.fullmatch(self.cleaned_data["overlap"])
        if found is None:
            raise FieldRefusal("overlap", "Give px, as in 64, or a share of the tile, as in 25 %.")
        amount = float(found[1])
        if found[2] == "%":
            return {"overlap_share": amount / 100, "overlap": 0}
        return {"overlap": round(amount)}

    def _regions(self) -> tuple[Region, ...]:
        regions = []
        for number, line in enumerate(self.cleaned_data["regions"].splitlines(), 1):
            if not line.strip():
                continue
            found = REGION.fullmatch(line)
            if found is None:
                raise FieldRefusal(
                    "regions",
                    f"Line {number} is not left, top, width and height in %, a colon and words.",
                )
            left, top, width, height = (float(part) / 100 for part in found.groups()[:4])
            try:
                regions.append(Region((left, top, width, height), found[5].strip()))
            except FieldRefusal:
                raise FieldRefusal("regions", f"Line {number} leaves the picture.") from None
        return tuple(regions)

    def _size(self) -> dict[str, Any]:
        given = self.cleaned_data
        if given["sizing"] == "factor":
            if given["factor"] is None:
                raise FieldRefusal("factor", "Say how many times larger.")
            return {"factor": float(given["factor"])}
        return {"size": tuple(self.wanted())}


class PlanForm(SizeFields):
    """The size a print is to have, for the planner."""

    sizing = forms.ChoiceField(
        choices=[("paper", "Paper"), ("pixels", "Pixels")],
        widget=forms.RadioSelect,
        label="Size by",
    )

    @classmethod
    def starting(cls) -> dict[str, Any]:
        """Values to begin with: an A4 sheet with 3 mm bleed."""
        return {"sizing": "paper", "paper_width": 210, "paper_height": 297, "unit": "mm",
                "ppi": PRINT_PPI, "bleed": 3}  # fmt: skip

    def size(self) -> Size:
        """The target. For a valid form."""
        return self._target

    def _read(self) -> None:
        self._target = self.wanted()


class TouchUpForm(RefineFields):
    """A region of a layer, and how it is refined again."""

    x = forms.IntegerField(min_value=0, label="Left")
    y = forms.IntegerField(min_value=0, label="Top")
    width = forms.IntegerField(min_value=16, label="Width")
    height = forms.IntegerField(min_value=16, label="Height")
    feather = of_setting(TouchUp, "feather", label="Feather")
    context = of_setting(TouchUp, "context", label="Context")
    working = of_setting(TouchUp, "working", label="Working size")

    @classmethod
    def starting(cls, start: Size, faces: list[list[int]]) -> dict[str, Any]:
        """Values to begin with: the largest face, or the middle of the picture."""
        x, y, width, height = faces[0] if faces else _middle(start)
        plain = TouchUp()
        return {
            "x": x, "y": y, "width": width, "height": height,
            "feather": min(plain.feather * max(1, round(width / 160)), 1024),
            "context": plain.context, "working": plain.working,
            **shown(plain.refine, RefineFields.base_fields),
        }  # fmt: skip

    def touch_up(self) -> TouchUp:
        """The settings. For a valid form."""
        return self._settings

    def _read(self) -> None:
        given = self.cleaned_data
        self._settings = TouchUp(
            box=(given["x"], given["y"], given["width"], given["height"]),
            feather=given["feather"],
            context=given["context"],
            working=given["working"],
            refine=self.refine(mode=Mode.JOINT),
        )
        self._settings.within(self.start)


def _middle(size: Size) -> tuple[int, int, int, int]:
    width, height = max(16, size.width // 4), max(16, size.height // 4)
    return (size.width - width) // 2, (size.height - height) // 2, width, height


class PrintFileForm(forms.Form):
    """What the downloaded file is."""

    format = forms.ChoiceField(
        choices=[(FileFormat.TIFF, "TIFF"), (FileFormat.PNG, "PNG"), (FileFormat.JPEG, "JPEG")]
    )
    bits = forms.TypedChoiceField(choices=[(8, "8 bits"), (16, "16 bits")], coerce=int)
    ppi = forms.FloatField(min_value=10, max_value=4800, label="Resolution")

    @classmethod
    def starting(cls) -> dict[str, Any]:
        """Values to begin with."""
        return {"format": FileFormat.TIFF, "bits": 8, "ppi": PRINT_PPI}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not math.isfinite(cleaned.get("ppi", PRINT_PPI)):
            self.add_error("ppi", "Give a number from 10 to 4800 ppi.")
        return cleaned


class ModelForm(forms.Form):
    """An ONNX file of the artist's own, by upload or already in the folder."""

    file = forms.FileField(
        required=False,
        label="ONNX file",
        widget=forms.FileInput(attrs={"accept": ".onnx"}),
    )
    name = forms.CharField(required=False, max_length=40, label="Name")
    summary = forms.CharField(required=False, max_length=200, label="Good for")
    licence = forms.CharField(required=False, max_length=200, label="Licence")


class SuitedForm(forms.Form):
    """Which upscaler new pieces of each kind start with."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        names = [(name, name.capitalize()) for name in upscalers_offered()]
        for subject, words in SUBJECTS.items():
            self.fields[subject.value] = forms.ChoiceField(
                choices=names, label=words, initial=Suited.upscaler_for(subject)
            )

    def keep(self) -> None:
        for subject, upscaler in self.cleaned_data.items():
            Suited.objects.update_or_create(subject=subject, defaults={"upscaler": upscaler})
