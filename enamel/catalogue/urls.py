"""Addresses of models."""

from django.urls import path

from enamel.catalogue import views

urlpatterns = [
    path("models/", views.models, name="models"),
    path("models/add/", views.add_model, name="add-model"),
    path("models/suited/", views.suited, name="suited"),
    path("models/<slug:name>/switch/", views.switch, name="switch-model"),
    path("models/<slug:name>/remove/", views.remove, name="remove-model"),
    path("models/<slug:name>/crops/<int:place>.webp", views.crop, name="model-crop"),
]
