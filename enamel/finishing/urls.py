"""Addresses of finishes."""

from django.urls import path

from enamel.finishing import views

urlpatterns = [
    path("layers/<uuid:layer_id>/finish/", views.finish, name="finish"),
    path("layers/<uuid:layer_id>/finish/preview/", views.preview, name="finish-preview"),
    path("layers/<uuid:layer_id>/finish/automatic/", views.automatic, name="finish-automatic"),
    path("finishes/keep/", views.keep, name="keep-finish"),
    path("finishes/<int:number>/delete/", views.delete, name="delete-finish"),
    path("finishes/<int:number>.finish.json", views.export, name="export-finish"),
]
