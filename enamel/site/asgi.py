"""The web application, as uvicorn runs it."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.site.settings")
django_application = get_asgi_application()

from enamel.site.bounds import bounded  # noqa: E402  it needs Django to be set up

application = bounded(django_application)  # type: ignore[arg-type]  # Django says dict
