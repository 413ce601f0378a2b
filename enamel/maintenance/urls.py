"""Addresses for monitoring, and of the licences."""

from django.urls import path

from enamel.maintenance import views

urlpatterns = [
    path("healthz", views.healthz, name="healthz"),
    path("metrics", views.metrics, name="metrics"),
    path("licences/", views.licences, name="licences"),
    path("licences/bill-of-materials.cdx.json", views.bill_of_materials, name="bill-of-materials"),
]
