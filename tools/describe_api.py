"""Write docs/reference/api.openapi.json, the description of the API."""

import json
import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "enamel.server.settings")

import django  # noqa: E402

django.setup()
from enamel.server.api import api  # noqa: E402

described = api.get_openapi_schema(path_prefix="/api/v2/")
(ROOT / "docs" / "reference" / "api.openapi.json").write_text(
    json.dumps(described, indent=1) + "\n"
)
