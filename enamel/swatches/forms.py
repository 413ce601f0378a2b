"""Form of a swatch sheet: window and varied settings."""

from typing import Any

from django import forms

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Box
from enamel.core.pipeline.sheets import VARIED, Axis
from enamel.core.written import read_lengths

CHOICES = [("", "nothing"), *((varied.name, varied.words) for varied in VARIED)]


class SheetForm(forms.Form):
    """A window and up to two varied settings."""

    window = forms.CharField(max_length=60, label="Window")
    vary = forms.ChoiceField(choices=CHOICES, required=False, label="Vary")
    values = forms.CharField(required=False, max_length=400, label="Over")
    vary_too = forms.ChoiceField(choices=CHOICES, required=False, label="And")
    values_too = forms.CharField(required=False, max_length=400, label="Over")

    def clean_window(self) -> Box:
        sides = read_lengths(self.cleaned_data["window"])
        if len(sides) != 4:
            raise forms.ValidationError("Give left, top, width and height in px of the result.")
        return Box(*sides)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        self.axes: list[Axis] = []
        for name, values in (("vary", "values"), ("vary_too", "values_too")):
            if not cleaned.get(name):
                continue
            try:
                self.axes.append(Axis.read(cleaned[name], cleaned.get(values, "")))
            except FieldRefusal as refusal:
                self.add_error(values, refusal.message)
        return cleaned
