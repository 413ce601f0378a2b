"""Forms of finishes: a recipe, and the part of a layer to preview."""

import json

from django import forms

from enamel.core.errors import Refusal
from enamel.core.finishing.recipe import Finish
from enamel.core.jsontext import read_json
from enamel.web.forms import WindowField

MOST_PIXELS = 4_000_000
"""Most pixels of a preview, whatever the screen."""


class FinishForm(forms.Form):
    """A recipe."""

    recipe = forms.CharField(widget=forms.HiddenInput, max_length=20_000)

    @classmethod
    def showing(cls, recipe: Finish) -> "FinishForm":
        return cls({"recipe": json.dumps(recipe.to_json())})

    def clean_recipe(self) -> Finish:
        try:
            return Finish.from_json(read_json(self.cleaned_data["recipe"]))
        except Refusal as refusal:
            raise forms.ValidationError(str(refusal)) from None

    def refused(self) -> str:
        """Return the form's errors in a line."""
        return " ".join(str(error) for errors in self.errors.values() for error in errors)


class FinishWindowForm(FinishForm):
    """The part of a layer to preview, and how many px the page has room for."""

    window = WindowField()
    pixels = forms.IntegerField(min_value=1, max_value=MOST_PIXELS)


class FinishStepForm(FinishForm):
    """A step of a recipe whose settings are chosen automatically."""

    step = forms.ChoiceField(choices=[(name, name) for name in Finish.NAMES])


class FinishPresetForm(FinishForm):
    """A recipe to be saved under a name."""

    name = forms.CharField(max_length=80)
