"""What every page knows of the installation."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest


def installation(request: HttpRequest) -> dict[str, Any]:
    return {"demo": settings.DEMO}
