"""The web application, as uvicorn runs it."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.server.settings")
django.setup(set_prefix=False)

from enamel.server.bounds import bounded  # noqa: E402  they need Django to be set up
from enamel.server.handling import Handler  # noqa: E402

application = bounded(Handler())
