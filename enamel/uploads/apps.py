"""Configure the app `uploads`."""

from django.apps import AppConfig


class UploadsConfig(AppConfig):
    name = "enamel.uploads"
