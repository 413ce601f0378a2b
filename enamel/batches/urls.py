"""Addresses of batches."""

from django.urls import path

from enamel.batches import views

urlpatterns = [
    path("batches/", views.choose, name="batches"),
    path("batches/start/", views.start, name="start-batch"),
    path("batches/cost/", views.cost, name="batch-cost"),
    path("batches/<uuid:batch_id>/", views.batch, name="batch"),
    path("batches/<uuid:batch_id>/pictures.csv", views.table, name="batch-table"),
    path("batches/<uuid:batch_id>/change/", views.change, name="change-batch"),
    path("batch-items/<int:number>/", views.change_item, name="change-batch-item"),
]
