"""Addresses of swatches."""

from django.urls import path

from enamel.swatches import views

urlpatterns = [
    path("pieces/<uuid:piece_id>/swatch-cost/", views.swatch_cost, name="swatch-cost"),
    path("pieces/<uuid:piece_id>/swatch-windows/", views.windows, name="swatch-windows"),
    path("sheets/<uuid:sheet_id>/", views.sheet, name="sheet"),
    path("sheets/<uuid:sheet_id>/state/", views.state, name="sheet-state"),
    path("sheets/<uuid:sheet_id>/base.png", views.base_picture, name="sheet-base"),
    path("sheets/<uuid:sheet_id>/stop/", views.stop, name="stop-sheet"),
    path("sheets/<uuid:sheet_id>/pin/", views.pin, name="pin-sheet"),
    path("sheets/<uuid:sheet_id>/delete/", views.delete, name="delete-sheet"),
    path("swatches/<int:number>.png", views.picture, name="swatch-picture"),
    path("swatches/<int:number>/so-far.webp", views.so_far, name="swatch-so-far"),
    path("swatches/<int:number>/verdict/", views.verdict, name="swatch-verdict"),
    path("swatches/<int:number>/take/", views.take, name="take-swatch"),
    path("pieces/<uuid:piece_id>/swatches/", views.make, name="make-swatches"),
]
