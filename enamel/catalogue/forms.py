"""Forms for adding a model and for choosing what new pieces start with."""

from typing import Any

from django import forms

from enamel.catalogue.models import SUBJECTS, Suited, offered


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
    """Which upscaler and refiner new pieces of each kind start with."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        there = offered()
        choices = {"upscaler": there.upscalers, "refiner": there.refiners}
        for subject, words in SUBJECTS.items():
            for (kind, names), model in zip(choices.items(), Suited.to(subject), strict=True):
                self.fields[f"{subject}-{kind}"] = forms.ChoiceField(
                    choices=[(name, name.capitalize()) for name in names],
                    label=words if kind == "upscaler" else "refined by",
                    initial=model,
                )

    def keep(self) -> None:
        for subject in SUBJECTS:
            chosen = {
                kind: self.cleaned_data[f"{subject}-{kind}"] for kind in ("upscaler", "refiner")
            }
            Suited.objects.update_or_create(subject=subject, defaults=chosen)
