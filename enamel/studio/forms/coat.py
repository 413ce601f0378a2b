"""One coat of a schedule."""

from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Size
from enamel.core.print.layout import PrintPlan, lay_out
from enamel.core.print.sizing import fitted
from enamel.core.schedule import Coat, JoinPass, Mix, Mode, Order, Refine
from enamel.core.written import read_overlap, read_regions, written_overlap, written_regions
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
        offer(self, "upscaler", self.upscalers)
        offer(self, "second", ["", *self.upscalers])

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
            "overlap": written_overlap(refine),
            "join_pass": refine.joins is not None,
            "join_strength": joins.strength,
            "join_width": joins.width,
            "run_of": 4,
            "regions": written_regions(refine.regions),
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
            regions=read_regions(given["regions"]),
            **read_overlap(given["overlap"]),
            **plain,
        )
        mix = Mix(given["second"], given["weight"]) if given["second"] else None
        self._coat = Coat(**self._size(), upscaler=given["upscaler"], mix=mix, refine=refine)
        self._coat.size_from(self.start)

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
