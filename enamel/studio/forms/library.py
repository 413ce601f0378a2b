"""Models at hand, and which suits what."""

from typing import Any

from django import forms

from enamel.kiln.models import SUBJECTS, Suited, upscalers_offered


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
    """Which upscaler new pieces of each kind start with."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        names = [(name, name.capitalize()) for name in upscalers_offered()]
        for subject, words in SUBJECTS.items():
            self.fields[subject.value] = forms.ChoiceField(
                choices=names, label=words, initial=Suited.upscaler_for(subject)
            )

    def keep(self) -> None:
        for subject, upscaler in self.cleaned_data.items():
            Suited.objects.update_or_create(subject=subject, defaults={"upscaler": upscaler})
