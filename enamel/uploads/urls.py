"""Addresses of uploads."""

from django.urls import path

from enamel.uploads import views

urlpatterns = [
    path("uploads/<uuid:upload_id>/state/", views.state, name="upload-state"),
    path("uploads/<uuid:upload_id>/dismiss/", views.dismiss, name="dismiss-upload"),
]
