"""Addresses of the kiln's page."""

from django.urls import path

from enamel.kiln import views

urlpatterns = [
    path("kiln/", views.kiln, name="kiln"),
    path("firings/<uuid:firing_id>/move/", views.move, name="move-firing"),
]
