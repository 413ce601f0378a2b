"""All URLs: those of each app, and the API's."""

from django.urls import include, path

from enamel.server import views
from enamel.server.api import api

APPS = (
    "accounts", "web", "uploads", "catalogue", "library", "workspace", "firings", "swatches", "touchups",
    "finishing", "prints", "batches", "orders", "compare", "kiln",
    "maintenance",
)  # fmt: skip

handler500 = "enamel.web.refusals.server_error"
urlpatterns = [
    path("api/v2/", api.urls),
    path("scripts/description/", views.description, name="api-description"),
    *(path("", include(f"enamel.{app}.urls")) for app in APPS),
]
