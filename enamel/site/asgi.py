"""The web application, as uvicorn runs it."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.site.settings")
application = get_asgi_application()
