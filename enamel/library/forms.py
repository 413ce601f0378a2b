"""Form of a piece: facts of its base, and the artist's notes."""

from typing import Any

from django import forms

from enamel.catalogue.models import SUBJECTS
from enamel.core.intake.provenance import Provenance
from enamel.library.models import Piece

MOST_TAGS = 20


class BaseForm(forms.Form):
    """Title, tags and notes, and facts of the base that new schedules and written files use."""

    title = forms.CharField(max_length=200, label="Title")
    tags = forms.CharField(required=False, max_length=400, label="Tags")
    notes = forms.CharField(required=False, widget=forms.Textarea(attrs={"rows": 3}), label="Notes")
    subject = forms.ChoiceField(
        choices=[(kind.value, words) for kind, words in SUBJECTS.items()], label="Kind of picture"
    )
    prompt = forms.CharField(
        required=False, widget=forms.Textarea(attrs={"rows": 3}), label="Prompt"
    )
    negative_prompt = forms.CharField(required=False, label="Negative prompt")
    seed = forms.CharField(required=False, max_length=40, label="Seed")
    model = forms.CharField(required=False, max_length=200, label="Model")
    size = forms.CharField(required=False, max_length=40, label="Size")
    made_by_model = forms.BooleanField(required=False, label="Made by a generative model")

    FACTS = ("prompt", "negative_prompt", "seed", "model", "size")

    @classmethod
    def showing(cls, piece: Piece) -> "BaseForm":
        made = piece.how_made
        filled: dict[str, Any] = {name: getattr(made, name) for name in cls.FACTS}
        filled |= {name: getattr(piece, name) for name in ("title", "notes", "subject")}
        return cls(filled | {"tags": ", ".join(piece.tags), "made_by_model": piece.made_by_model})

    def clean_tags(self) -> list[str]:
        """Tags separated by commas, each once, in lower case."""
        parts = [part.strip().lower()[:40] for part in self.cleaned_data["tags"].split(",")]
        tags = list(dict.fromkeys(part for part in parts if part))
        if len(tags) > MOST_TAGS:
            raise forms.ValidationError(
                f"A piece can have {MOST_TAGS} tags; these are {len(tags)}."
            )
        return tags

    def keep(self, piece: Piece) -> None:
        given = self.cleaned_data
        piece.made = Provenance(**{name: given[name].strip() for name in self.FACTS}).to_json()
        for name in ("title", "notes", "subject", "tags", "made_by_model"):
            setattr(piece, name, given[name])
        piece.save(update_fields=["made", "title", "notes", "subject", "tags", "made_by_model"])
