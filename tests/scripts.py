"""Scripts that ask."""

from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import User
from django.test import Client

from enamel.accounts.models import Token

Ask = Callable[..., Any]


def asking(client: Client, artist: User, scopes: list[str]) -> Ask:
    """Asks in an artist's name: method, path below /api/v2/, JSON."""
    _, text = Token.objects.issue(artist, "test", scopes)

    def ask(method: str, path: str, form: Any = None, **given: Any) -> Any:
        if form is not None:
            given |= {"data": form, "content_type": "application/json"}
        headers = {"Authorization": f"Bearer {text}"}
        return getattr(client, method)(f"/api/v2/{path}", headers=headers, **given)

    return ask
