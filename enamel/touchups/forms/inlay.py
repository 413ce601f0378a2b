"""Form of inlays: what is set into a layer, in which order."""

from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.jsontext import read_json
from enamel.core.masks import RenderedMask
from enamel.core.masks.coverage import require_covered
from enamel.core.pipeline.inlay import Inlay
from enamel.library.models import Layer
from enamel.web.forms import WindowField

MOST_INLAYS = 24


class InlayForm(forms.Form):
    """A list of inlays, as JSON from the page."""

    inlays = forms.CharField(required=False, widget=forms.HiddenInput)

    def __init__(self, *args: Any, under: Layer, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.under = under

    @classmethod
    def starting(cls) -> dict[str, Any]:
        return {"inlays": "[]"}

    def clean_inlays(self) -> tuple[Inlay, ...]:
        """Return the inlays, the lowest first."""
        try:
            form = read_json(self.cleaned_data["inlays"] or "[]")
        except Refusal as refusal:
            raise forms.ValidationError(f"The list of inlays: {refusal}") from None
        if not isinstance(form, list) or len(form) > MOST_INLAYS:
            raise forms.ValidationError(f"Give a list of at most {MOST_INLAYS} inlays.")
        try:
            found = tuple(Inlay.from_json(one) for one in form)
            for settings in found:
                if settings.mask is not None:
                    require_covered(RenderedMask(settings.mask, self.under.size))
        except FieldRefusal as refusal:
            raise forms.ValidationError(refusal.message) from None
        except ValueError as refusal:
            raise forms.ValidationError(str(refusal)) from None
        return found


class WindowForm(InlayForm):
    """The part of a layer to preview."""

    window = WindowField()
