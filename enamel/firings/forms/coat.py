"""One coat of a schedule."""

from collections.abc import Mapping
from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Size
from enamel.core.masks import Mask
from enamel.core.printing.layout import PrintPlan, lay_out
from enamel.core.printing.sizing import fitted
from enamel.core.schedule import Coat, Fit, JoinPass, Mix, Mode, Order, Protect, Refine
from enamel.core.written import (
    UNKNOWN_MASK,
    read_overlap,
    read_regions,
    written_overlap,
    written_regions,
)
from enamel.firings.forms.refine import RefineFields, of_setting, offer, shown, side

ORDERS = [
    (Order.ROWS, "Row by row"),
    (Order.CHECKERBOARD, "Checkerboard: gaps grow on"),
    (Order.CENTRE_OUT, "Centre out"),
]
FITS = [
    (Fit.AUTO, "Automatic: about this size"),
    (Fit.EXACT, "Exactly this size"),
]
MODES = [
    (Mode.SEPARATE, "Separate: each tile alone"),
    (Mode.JOINT, "Joint: step by step, no joins"),
]


class CoatForm(RefineFields):
    """Form of one coat of a schedule: its size, then its other settings."""

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
    fit = forms.ChoiceField(choices=FITS, label="Tile size")
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
    protect = forms.ChoiceField(required=False, label="Protect")
    protect_left = of_setting(Protect, "left", required=False, label="Strength left there")
    regions = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 2}), label="Words for parts"
    )

    REFINE = (
        "fit", "feather", "order", "mode", "contrast", "chroma", "blend", "guide", "anchor",
        "anchor_radius",
    )  # fmt: skip
    """Fields that are settings of `Refine` unchanged, besides those of `RefineFields`."""

    def __init__(
        self,
        *args: Any,
        print_plan: PrintPlan,
        masks: Mapping[str, Mask] | None = None,
        current: Protect | None = None,
        **kwargs: Any,
    ) -> None:
        super().__init__(*args, **kwargs)
        self.print_plan = print_plan
        self.masks = dict(masks or {})
        if current is not None and current.mask not in self.masks.values():
            self.masks[UNKNOWN_MASK] = current.mask
        choices = self.fields["protect"]
        assert isinstance(choices, forms.ChoiceField)
        choices.choices = [("", "nothing"), *((name, name) for name in self.masks)]
        offer(self, "upscaler", self.upscalers)
        offer(self, "second", ["", *self.upscalers])

    @classmethod
    def showing(
        cls,
        coat: Coat,
        start: Size,
        print_plan: PrintPlan,
        masks: Mapping[str, Mask] | None = None,
    ) -> "CoatForm":
        """Return the form filled in with a coat on a picture of that size.

        ``masks`` are the piece's saved ones, by name.
        """
        protect = coat.refine.protect if coat.refine else None
        values = cls.values(coat, start, masks)
        return cls(values, start=start, print_plan=print_plan, masks=masks, current=protect)

    @classmethod
    def values(
        cls, coat: Coat, start: Size, masks: Mapping[str, Mask] | None = None
    ) -> dict[str, Any]:
        """Return a coat as the form's fields show it."""
        protect = coat.refine.protect if coat.refine else None
        names = {mask: name for name, mask in (masks or {}).items()}
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
            "regions": written_regions(refine.regions, masks),
            "protect": names.get(protect.mask, UNKNOWN_MASK) if protect else "",
            "protect_left": protect.left if protect else 0.0,
            **shown(refine, (*RefineFields.base_fields, *cls.REFINE)),
        }

    def coat(self) -> Coat:
        """Return the coat. For a valid form."""
        return self._coat

    def _read(self) -> None:
        given = self.cleaned_data
        joins = None
        if given["join_pass"]:
            joins = JoinPass(given["join_strength"], given["join_width"])
        protect = None
        if given["protect"]:
            protect = Protect(self.masks[given["protect"]], given["protect_left"] or 0.0)
        plain = {name: given[name] for name in self.REFINE}
        plain |= {
            "fit": Fit(given["fit"]),
            "order": Order(given["order"]),
            "mode": Mode(given["mode"]),
        }
        refine = self.refine(
            tile=(given["tile_width"], given["tile_height"]),
            joins=joins,
            protect=protect,
            regions=read_regions(given["regions"], self.masks),
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
