"""Form fields for parts of a layer."""

from django import forms

from enamel.core.geometry import Box
from enamel.core.written import read_lengths


class WindowField(forms.CharField):
    """Left, top, width and height in px of the layer; its cleaned value is a box."""

    def __init__(self) -> None:
        super().__init__(max_length=60)

    def clean(self, value: object) -> Box:
        sides = read_lengths(super().clean(value))
        if len(sides) != 4:
            raise forms.ValidationError("Give left, top, width and height in px of the layer.")
        return Box(*sides)
