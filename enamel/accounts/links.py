"""Password links between the request that creates one and the page that shows it once."""

from django.contrib.auth.models import User
from django.http import HttpRequest


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
