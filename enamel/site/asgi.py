"""The web application, as uvicorn runs it."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.site.settings")
django.setup(set_prefix=False)

from enamel.site.bounds import bounded  # noqa: E402  they need Django to be set up
from enamel.site.handling import Handler  # noqa: E402

application = bounded(Handler())
