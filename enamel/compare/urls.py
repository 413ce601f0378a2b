"""Addresses of comparing."""

from django.urls import path

from enamel.compare import views

urlpatterns = [
    path("pieces/<uuid:piece_id>/compare/", views.compare, name="compare"),
    path("layers/<uuid:layer_id>/check/", views.check, name="check-layer"),
    path("layers/<uuid:layer_id>/checked/", views.checked, name="layer-checked"),
]
