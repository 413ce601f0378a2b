"""One coat of a schedule."""

import re
from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Size
from enamel.core.print.layout import PrintPlan, lay_out
from enamel.core.print.sizing import fitted
from enamel.core.schedule import Coat, JoinPass, Mix, Mode, Order, Refine, Region
from enamel.kiln.models import upscalers_offered
from enamel.studio.forms.settings import RefineFields, of_setting, offer, shown, side

ORDERS = [
    (Order.ROWS, "Row by row"),
    (Order.CHECKERBOARD, "Checkerboard: gaps grow on"),
    (Order.CENTRE_OUT, "Centre out"),
]
MODES = [
    (Mode.SEPARATE, "Separate: each tile alone"),
    (Mode.JOINT, "Joint: step by step, no joins"),
]

OVERLAP = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(px|%)?\s*")
REGION = re.compile(r"\s*" + r"([\d.]+)\s*%?\s+" * 3 + r"([\d.]+)\s*%?\s*:\s*(.+)")


class CoatForm(RefineFields):
    """One coat of a schedule: the size wanted, then how to get there."""

    sizing = forms.ChoiceField(
        choices=[("factor", "Factor"), ("pixels", "Pixels"), ("print", "The print")],
        widget=forms.RadioSelect,
        label="Size by",
    )
    factor = of_setting(Coat, "factor", required=False, label="Factor")
    width = forms.IntegerField(min_value=16, required=False, label="Width")
    height = forms.IntegerField(min_value=16, required=False, label="Height")
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

    def __init__(self, *args: Any, print_plan: PrintPlan, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.print_plan = print_plan
        names = upscalers_offered()
        offer(self, "upscaler", names)
        offer(self, "second", ["", *names])

    @classmethod
    def showing(cls, coat: Coat, start: Size, print_plan: PrintPlan) -> "CoatForm":
        """The form filled in with a coat that enlarges a picture of that size."""
        return cls(cls.values(coat, start), start=start, print_plan=print_plan)

    @classmethod
    def values(cls, coat: Coat, start: Size) -> dict[str, Any]:
        """A coat as the form's fields show it."""
        refine = coat.refine or Refine(strength=0)
        size = coat.size_from(start)
        joins = refine.joins or JoinPass()
        share = refine.overlap_share
        return {
            "sizing": "pixels" if coat.size else "factor",
            "factor": coat.factor or (None if coat.size else 1.0),
            "width": size.width,
            "height": size.height,
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
        if given["sizing"] == "print":
            return {"size": tuple(lay_out(self.start, self.print_plan).picture)}
        if not given["width"] and not given["height"]:
            raise FieldRefusal("width", "Give a width, a height or both.")
        return {"size": tuple(fitted(self.start, given["width"], given["height"]))}
