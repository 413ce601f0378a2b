"""Template context that every page has."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from enamel.accounts.models import Preferences
from enamel.core.printing.sizing import Unit


def preferences_of(request: HttpRequest) -> Preferences:
    """Return the current account's preferences, read once for each request."""
    known: Preferences | None = getattr(request, "preferences_read", None)
    if known is None:
        known = Preferences.of(request.user)
        request.preferences_read = known  # type: ignore[attr-defined]
    return known


def preferences(request: HttpRequest) -> dict[str, Any]:
    """Return the artist's preferences, read lazily: most pages don't show any."""
    return {"preferences": SimpleLazyObject(lambda: preferences_of(request))}


def installation(request: HttpRequest) -> dict[str, Any]:
    return {"demo": settings.DEMO}


def unit_of(request: HttpRequest) -> Unit:
    """Return the artist's unit of length."""
    return preferences_of(request).length_unit
