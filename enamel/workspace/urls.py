"""Addresses of the workspace."""

from django.urls import path

from enamel.workspace import views

urlpatterns = [
    path("pieces/<uuid:piece_id>/", views.piece, name="piece"),
    path("pieces/<uuid:piece_id>/facts/", views.facts, name="facts"),
    path("pieces/<uuid:piece_id>/begin-again/", views.begin_again, name="begin-again"),
]
