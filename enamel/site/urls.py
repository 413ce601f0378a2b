"""All addresses are the studio's."""

from django.urls import include, path

urlpatterns = [path("", include("enamel.studio.urls"))]
