"""What every page knows of the installation."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from enamel.studio.models import Preferences


def preferences(request: HttpRequest) -> dict[str, Any]:
    """The artist's preferences; they are asked for only by pages that show them."""
    return {"preferences": SimpleLazyObject(lambda: Preferences.of(request.user))}


def installation(request: HttpRequest) -> dict[str, Any]:
    return {"demo": settings.DEMO}
