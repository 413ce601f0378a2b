"""Addresses for monitoring, of disk use and of licences."""

from django.urls import path

from enamel.maintenance import views

urlpatterns = [
    path("healthz", views.healthz, name="healthz"),
    path("metrics", views.metrics, name="metrics"),
    path("disk/", views.disk, name="disk"),
    path("disk/quotas/<int:number>/", views.set_quota, name="set-quota"),
    path("licences/", views.licences, name="licences"),
    path("licences/bill-of-materials.cdx.json", views.bill_of_materials, name="bill-of-materials"),
]
