"""Addresses of notifications."""

from django.urls import path

from enamel.web import views

urlpatterns = [
    path("news/", views.news, name="news"),
]
