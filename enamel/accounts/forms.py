"""Forms of administrators."""

from typing import Any

from django import forms
from django.contrib.auth.models import User

ROLES = [
    ("artist", "Artist: works on pieces"),
    ("administrator", "Administrator: also changes models, accounts and quotas"),
]
DELETE = "delete"


class InviteForm(forms.Form):
    """A new account."""

    name = forms.CharField(max_length=150, label="Name", help_text="Letters, digits and @ . + - _")
    role = forms.ChoiceField(
        choices=ROLES, initial="artist", label="Role", widget=forms.RadioSelect
    )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        cleaned["administrator"] = cleaned.pop("role", "") == "administrator"
        return cleaned


class DeleteAccountForm(forms.Form):
    """What becomes of a deleted account's pieces: another account's number, or `DELETE`."""

    pieces = forms.ChoiceField(label="Its pieces")

    def __init__(self, *args: Any, account: User, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        others = User.objects.filter(is_active=True).exclude(pk=account.pk).order_by("username")
        self._others = {str(other.pk): other for other in others}
        self.fields["pieces"].choices = [  # type: ignore[attr-defined]
            ("", "Choose …"),
            *((key, f"Give them to {other.username}") for key, other in self._others.items()),
            (DELETE, "Delete them for good"),
        ]

    @property
    def heir(self) -> User | None:
        """Who gets the pieces; None when they are deleted. For a valid form."""
        return self._others.get(self.cleaned_data["pieces"])
