"""Scripts that ask."""

from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.cache import cache
from django.test import Client

from enamel.api.models import Scope, Token

Ask = Callable[..., Any]


@pytest.fixture(autouse=True)
def forgotten() -> None:
    """How often was asked in the test before."""
    cache.clear()


def asking(client: Client, artist: User, scopes: list[str]) -> Ask:
    """Asks in an artist's name: method, path below /api/v1/, JSON."""
    _, text = Token.objects.issue(artist, "test", scopes)

    def ask(method: str, path: str, form: Any = None, **given: Any) -> Any:
        if form is not None:
            given |= {"data": form, "content_type": "application/json"}
        headers = {"Authorization": f"Bearer {text}"}
        return getattr(client, method)(f"/api/v1/{path}", headers=headers, **given)

    return ask


@pytest.fixture
def ask(client: Client, artist: User) -> Ask:
    return asking(client, artist, Scope.values)
