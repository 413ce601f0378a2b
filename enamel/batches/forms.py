"""Form of a batch."""

from collections.abc import Callable
from typing import Any

from django import forms
from django.template.defaultfilters import pluralize
from django.utils import timezone

from enamel.batches import folders
from enamel.batches.models import Batch
from enamel.catalogue.models import SUBJECTS
from enamel.core.errors import Refusal
from enamel.core.intake.subject import Subject
from enamel.core.pipeline.treatment import ForKind, RequestedFile, Treatment
from enamel.core.schedule import Schedule
from enamel.finishing.models import FinishPreset
from enamel.firings.forms.refine import of_setting
from enamel.firings.models import SchedulePreset
from enamel.prints.forms import PrintFileForm
from enamel.prints.models import OutputPreset
from enamel.touchups.forms.touch_up import USUAL_STRENGTH

OWN, NONE = "own", "none"
Choices = list[tuple[str, str]]


class BatchForm(forms.Form):
    """Pictures from the pieces or from a folder, and their treatment by presets."""

    name = forms.CharField(max_length=120, label="Name")
    folder = forms.ChoiceField(required=False, label="Folder")
    watched = forms.BooleanField(required=False, label="Import files added to it later")
    schedule = forms.ChoiceField(label="Coats")
    words = forms.BooleanField(required=False, label="With each picture's own words and seed")
    faces = forms.BooleanField(required=False, label="Mend all faces")
    strength = of_setting(Treatment, "strength", label="at strength")
    finish = forms.ChoiceField(required=False, label="Finish")
    outputs = forms.MultipleChoiceField(
        required=False, widget=forms.CheckboxSelectMultiple, label="Print files"
    )
    urgency = forms.TypedChoiceField(choices=Batch.Urgency.choices, coerce=int, label="Fire them")

    def __init__(self, *args: Any, owner_id: int, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.schedules = {
            str(kept.pk): kept for kept in SchedulePreset.objects.filter(owner_id=owner_id)
        }
        self.finishes = {
            str(kept.pk): kept for kept in FinishPreset.objects.filter(owner_id=owner_id)
        }
        self.kept = {str(kept.pk): kept for kept in OutputPreset.objects.filter(owner_id=owner_id)}
        presets = [(number, kept.name) for number, kept in self.schedules.items()]
        own = (OWN, "Each piece's current schedule")
        self._offer("schedule", [own, *presets, (NONE, "No coats")])
        self._offer("finish", [("", "None"), *((n, one.name) for n, one in self.finishes.items())])
        self._offer("outputs", [(n, one.name) for n, one in self.kept.items()])
        # counted when the field is shown, not whenever the page asks for the cost
        self._offer("folder", _folders)
        for subject, words in SUBJECTS.items():
            self.fields[_kind(subject)] = forms.ChoiceField(
                choices=[("", "as the others"), *presets], required=False, label=words
            )

    def _offer(self, name: str, choices: Choices | Callable[[], Choices]) -> None:
        self.fields[name].choices = choices  # type: ignore[attr-defined]

    @classmethod
    def starting(cls) -> dict[str, Any]:
        """Return initial values."""
        return {
            "name": f"Batch of {timezone.localdate():%-d %B}",
            "schedule": OWN, "words": True, "strength": USUAL_STRENGTH,
            "urgency": Batch.Urgency.BEHIND,
        }  # fmt: skip

    @property
    def kinds(self) -> list[forms.BoundField]:
        """The fields of the rules by kind of picture."""
        return [self[_kind(subject)] for subject in SUBJECTS]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not self.errors:
            try:
                self.treatment = self._treatment(cleaned)
            except Refusal as refusal:
                self.add_error(None, str(refusal))
        return cleaned

    def _treatment(self, given: dict[str, Any]) -> Treatment:
        chosen = given["schedule"]
        return Treatment(
            schedule=self._preset(chosen) if chosen not in (OWN, NONE) else None,
            kinds=tuple(
                ForKind(subject, self._preset(given[_kind(subject)]))
                for subject in SUBJECTS
                if given[_kind(subject)]
            ),
            coats=chosen != NONE,
            words=given["words"],
            faces=given["faces"],
            strength=given["strength"],
            finish=self.finishes[given["finish"]].as_finish() if given["finish"] else None,
            files=tuple(_asked(self.kept[number]) for number in given["outputs"]),
        )

    def _preset(self, number: str) -> Schedule:
        return self.schedules[number].as_schedule()


def _kind(subject: Subject) -> str:
    """Return the fields of the rule for a kind of picture."""
    return f"kind_{subject}"


def _folders() -> Choices:
    """Return the folders, each with its number of pictures."""
    return [
        (name, f"{name or 'The folder itself'}: {count} picture{pluralize(count)}")
        for name, count in folders.counted().items()
    ]


def _asked(kept: OutputPreset) -> RequestedFile:
    form = PrintFileForm(kept.form)
    if not form.is_valid():
        raise Refusal(f"“{kept.name}” can't be written any more; save that kind of file again.")
    return form.asked_of_many
