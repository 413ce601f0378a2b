"""Forms of administrators, and the password link that is shown once."""

from typing import Any

from django import forms
from django.contrib.auth.models import User
from django.http import HttpRequest

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


class PasswordLinks:
    """A password link on its way to the page that shows it once, in the administrator's session."""

    KEY = "password_link"

    def __init__(self, request: HttpRequest) -> None:
        self.request = request

    def put(self, account: User, path: str) -> None:
        self.request.session[self.KEY] = [account.pk, self.request.build_absolute_uri(path)]

    def take(self, account: User) -> str:
        """Return the link for this account, and forget it; empty when there is none."""
        number, link = self.request.session.pop(self.KEY, (None, ""))
        return link if number == account.pk else ""
