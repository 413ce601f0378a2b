"""Configure the app `compare`."""

from django.apps import AppConfig


class CompareConfig(AppConfig):
    name = "enamel.compare"
