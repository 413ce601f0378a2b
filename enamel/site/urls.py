"""All addresses are the studio's, but for those of scripts."""

from django.urls import include, path

from enamel.api.service import api

handler500 = "enamel.studio.refusals.server_error"
urlpatterns = [
    path("api/v1/", api.urls),
    path("", include("enamel.studio.urls")),
]
