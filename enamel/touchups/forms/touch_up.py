"""Form of a touch-up: its places, settings and number of candidates."""

import json
from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.faces.detection import Face
from enamel.core.fields import to_json
from enamel.core.jsontext import read_json
from enamel.core.masks import Mask
from enamel.core.pipeline.touchup import Origin, Patch, TouchUp, patch_for_face
from enamel.core.schedule import Mode, Refine
from enamel.core.written import read_strengths
from enamel.firings.forms.refine import RefineFields, of_setting, offer, shown

ORIGINS = [(Origin.LAYER, "This layer"), (Origin.BASE, "The base, enlarged again")]
MOST_SEEDS = 8
USUAL_STRENGTH = "0.45"
USUAL_HOLD = 1.0


class TouchUpForm(RefineFields):
    """The places of a layer, how they are refined again, and how many candidates are made."""

    strength = None  # type: ignore[assignment]
    strengths = forms.CharField(max_length=60, label="Denoising strength")
    seeds = forms.IntegerField(min_value=1, max_value=MOST_SEEDS, label="Seeds")
    mask = forms.CharField(required=False, widget=forms.HiddenInput, label="Mask")
    context = of_setting(TouchUp, "context", label="Context")
    working = of_setting(Patch, "working", label="Working size")
    match = of_setting(TouchUp, "match", label="Match colour")
    origin = forms.ChoiceField(choices=ORIGINS, label="Refine")
    upscaler = forms.ChoiceField(label="Enlarged by")
    hair = forms.FloatField(min_value=0, max_value=2, label="Margin for hair")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        offer(self, "upscaler", self.upscalers)

    @classmethod
    def starting(cls, refiner: str, settings: TouchUp | None = None) -> dict[str, Any]:
        """Return initial values: the defaults, or those of a touch-up that is being changed."""
        plain = settings or TouchUp((Patch(),), refine=Refine(model=refiner, hold=USUAL_HOLD))
        patch = plain.patches[0]
        names = [name for name in RefineFields.base_fields if name != "strength"]
        return {
            **shown(plain.refine, names),
            "seed": patch.seed,
            "strengths": " ".join(
                dict.fromkeys(f"{one.strength:g}" for one in plain.patches)
            ) if settings else USUAL_STRENGTH,
            "seeds": 1 if settings else 3,
            "mask": json.dumps(to_json(patch.mask)) if settings else "",
            "context": plain.context, "working": patch.working, "match": plain.match,
            "origin": plain.origin, "upscaler": plain.upscaler, "hair": 0.4,
        }  # fmt: skip

    def for_the_mask(self) -> TouchUp:
        """Return the touch-up of the mask; a `FieldRefusal` when nothing is drawn. For a valid form."""
        if self._mask is None or not self._mask.steps:
            raise FieldRefusal("mask", "Draw what is to be mended: with the brush, or pick a face.")
        given = self.cleaned_data
        patch = Patch(self._mask, None, given["working"], self.tries[0][0], given["seed"])
        return self._touch_up((patch,))

    def for_faces(self, faces: list[Face]) -> TouchUp:
        """Return the touch-up of every face, each at a working size that suits it. For a valid form."""
        given = self.cleaned_data
        patches = tuple(
            patch_for_face(face, self.start, given["hair"], given["context"], given["seed"])
            for face in faces
        )
        if not patches:
            raise FieldRefusal(
                "mask", "This piece has no faces yet; add them by hand, or draw a mask."
            )
        return self._touch_up(patches)

    def current(self) -> TouchUp | None:
        """Return the touch-up of the mask if one is drawn, else None. For a valid form."""
        return self.for_the_mask() if self._mask and self._mask.steps else None

    @property
    def tries(self) -> list[tuple[float, int]]:
        """Return strength and seed of each candidate. For a valid form."""
        first = self.cleaned_data["seed"]
        return [
            (strength, first + more)
            for strength in self._strengths
            for more in range(self.cleaned_data["seeds"])
        ]

    def _touch_up(self, patches: tuple[Patch, ...]) -> TouchUp:
        given = self.cleaned_data
        return TouchUp(
            patches, given["context"], given["match"], Origin(given["origin"]), given["upscaler"],
            self.refine(mode=Mode.JOINT, strength=0.0),
        )  # fmt: skip

    def _read(self) -> None:
        given = self.cleaned_data
        self._strengths = read_strengths(given["strengths"])
        self._mask = mask_of(given["mask"])
        if self._mask and self._mask.steps:
            self.for_the_mask().within(self.start)


def mask_of(text: str) -> Mask | None:
    """Return a mask from the page's form of it; a `FieldRefusal` when it is invalid."""
    if not text.strip():
        return None
    try:
        form = read_json(text)
    except Refusal as refusal:
        raise FieldRefusal("mask", f"{refusal} Draw it again.") from None
    return Mask.from_json(form)
