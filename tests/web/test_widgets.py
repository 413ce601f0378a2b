"""Fields written out in Python are those that Django's templates make."""

from collections.abc import Callable
from typing import Any

import pytest
from django import forms
from django.forms.renderers import DjangoTemplates

from enamel.core.geometry import Size
from enamel.core.printing.layout import PrintPlan
from enamel.core.schedule import Coat, Refine
from enamel.firings.forms.coat import CoatForm
from enamel.swatches.forms import SheetForm
from enamel.web.widgets import PlainWidgets

pytestmark = pytest.mark.django_db


class Strange(forms.Form):
    """Values that have to be escaped, attributes of all kinds, groups of choices."""

    words = forms.CharField(
        initial='<b> & "quotes"', widget=forms.TextInput(attrs={"data-x": '"<', "required": True})
    )
    lines = forms.CharField(initial="a\n<b>", widget=forms.Textarea(attrs={"rows": 2}))
    empty = forms.CharField(required=False, widget=forms.Textarea, disabled=True)
    number = forms.FloatField(initial=0.0, widget=forms.NumberInput(attrs={"step": 0.1}))
    hidden = forms.CharField(initial="'", widget=forms.HiddenInput)
    box = forms.BooleanField(initial=True)
    one = forms.ChoiceField(
        choices=[("", "none"), ("More <", [("a", "A & B"), ("b", "C")])], initial="b"
    )
    none = forms.ChoiceField(choices=[(None, "x")], required=False)
    radio = forms.ChoiceField(choices=[("r", "R <"), ("s", "S")], widget=forms.RadioSelect)
    several = forms.MultipleChoiceField(
        choices=[(1, "one"), (2, "two")], widget=forms.CheckboxSelectMultiple, initial=[2]
    )
    file = forms.FileField()


def rendered(form: forms.Form, renderer: Any) -> list[str]:
    form.renderer = renderer
    found = []
    for field in form:
        found.append(str(field))
        if isinstance(field.field.widget, forms.RadioSelect | forms.CheckboxSelectMultiple):
            found += [str(one.tag()) for one in field]
    return found


def coat_form() -> forms.Form:
    coat = Coat(factor=2.0, refine=Refine(prompt="<x>"))
    return CoatForm.showing(coat, Size(64, 48), PrintPlan())


@pytest.mark.parametrize(
    "make",
    [
        Strange,
        lambda: Strange({"words": "<i>", "one": "a", "several": ["1"]}),
        coat_form,
        SheetForm,
    ],
)
def test_the_same_html(make: Callable[[], forms.Form]) -> None:
    ours, theirs = rendered(make(), PlainWidgets()), rendered(make(), DjangoTemplates())
    assert ours == theirs
    assert len(ours) > 4
