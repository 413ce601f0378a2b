"""Addresses of what watches a server."""

from django.urls import path

from enamel.maintenance import views

urlpatterns = [
    path("healthz", views.healthz, name="healthz"),
    path("metrics", views.metrics, name="metrics"),
]
