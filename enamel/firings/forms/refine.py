"""Forms that give values of core. Their ranges and help texts come from core."""

import dataclasses
from typing import Any, ClassVar

from django import forms

from enamel.catalogue.models import offered
from enamel.core.diffusion.samplers import Sampler
from enamel.core.diffusion.sigmas import Spacing
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.geometry import Size
from enamel.core.networks.cards import Card, FilesCard, cards
from enamel.core.networks.kits import kit_of
from enamel.core.schedule import Kit, Refine
from enamel.core.written import read_adapters, written_adapters

SAMPLERS = [(sampler, sampler.label) for sampler in Sampler]
SPACINGS = [
    (Spacing.KARRAS, "Karras"),
    (Spacing.UNIFORM, "Uniform"),
    (Spacing.OWN, "The model's own"),
]


def of_setting(kind: type, name: str, **more: Any) -> forms.Field:
    """Return a number field with the range, unit and help text that a core setting declares."""
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
    """Set the choices of a field to the names available now."""
    choices = form.fields[field]
    assert isinstance(choices, forms.ChoiceField)
    chosen = form.data.get(field)
    if chosen not in names and any(chosen == card.name for card in cards()):
        names = [*names, str(chosen)]
    weighs = {card.name: f", {size_of(card)}" for card in cards() if isinstance(card, FilesCard)}
    choices.choices = [
        (name, f"{name.capitalize()}{weighs.get(name, '')}" if name else "nothing")
        for name in names
    ]


def size_of(card: Card) -> str:
    """Return a checkpoint's size, which is about the memory that a device needs before any tile."""
    megabytes = card.megabytes
    return f"{megabytes / 1000:.1f} GB" if megabytes >= 1000 else f"{megabytes:.0f} MB"


USUAL: dict[str, tuple[float, float, float, float]] = {
    "strength": (0.15, 0.35, 0, 1),
    "restore": (0.5, 1, 0, 1),
    "steps": (4, 8, 1, 30),
    "guidance": (1, 2, 0, 6),
    "hold": (0.5, 1, 0, 1),
    "extra_noise": (0, 0.06, 0, 0.2),
    "contrast": (0.95, 1.05, 0.5, 1.5),
    "chroma": (0.9, 1.1, 0.5, 1.5),
    "tile_width": (512, 1024, 64, 2048),
    "tile_height": (512, 1024, 64, 2048),
    "feather": (0.5, 1, 0, 1),
    "join_strength": (0.15, 0.3, 0, 1),
    "blend": (0.66, 1, 0, 1),
    "guide": (0.66, 1, 0, 1),
}
"""The usual range of a setting, and the range that is drawn."""


class SettingsForm(forms.Form):
    """A form that gives a value of core, whose refusals are shown beside their fields.

    ``start`` is the size of the picture that the settings apply to.
    """

    SHOWN_BY: ClassVar[dict[str, str]] = {
        "overlap_fraction": "overlap",
        "tile": "tile_width",
        "size": "width",
    }
    """Fields that have another name on the page than in core."""

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


class RefineFields(SettingsForm):
    """The settings of a refinement, shared by coats and touch-ups."""

    USUAL = USUAL

    model = forms.ChoiceField(label="Refiner")
    strength = of_setting(Refine, "strength", label="Denoising strength")
    restore = of_setting(Refine, "restore", label="Restore detail")
    steps = of_setting(Refine, "steps", label="Steps")
    seed = of_setting(Refine, "seed", label="Seed")
    guidance = of_setting(Refine, "guidance", label="Guidance scale")
    hold = of_setting(Refine, "hold", label="Hold")
    extra_noise = of_setting(Refine, "extra_noise", label="Extra noise")
    sampler = forms.ChoiceField(choices=SAMPLERS, label="Sampler")
    spacing = forms.ChoiceField(choices=SPACINGS, label="Noise levels")
    prompt = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 2}), label="Prompt"
    )
    negative_prompt = forms.CharField(required=False, label="Negative prompt")
    adapters = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 2}), label="Adapters"
    )
    structure_guide = forms.ChoiceField(required=False, label="Structure guide")
    vae = forms.ChoiceField(required=False, label="VAE")

    KIT = ("adapters", "structure_guide", "vae")
    """Fields of what a checkpoint is used with."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        there = offered()
        self.upscalers = there.upscalers
        offer(self, "model", there.refiners)
        offer(self, "structure_guide", ["", *there.guides])
        offer(self, "vae", ["", *there.vaes])

    def refine(self, **more: Any) -> Refine:
        given = {
            name: self.cleaned_data[name]
            for name in RefineFields.base_fields
            if name in self.fields and name not in self.KIT
        }
        adapters = read_adapters(self.cleaned_data["adapters"])
        beside = (self.cleaned_data[name] for name in ("structure_guide", "vae"))
        given["kit"] = kit_of(given["model"], adapters, *beside)
        given["sampler"] = Sampler(given["sampler"])
        given["spacing"] = Spacing(given["spacing"])
        return Refine(**given, **more)


def shown(refine: Refine, names: Any) -> dict[str, Any]:
    """Return a refinement's settings as fields show them."""
    kit = refine.kit or Kit()
    of_kit = {
        "adapters": written_adapters(kit.adapters),
        "structure_guide": kit.guide,
        "vae": kit.vae,
    }
    return {name: of_kit[name] if name in of_kit else getattr(refine, name) for name in names}
