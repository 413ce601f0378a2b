"""Configure the app `kiln`."""

from django.apps import AppConfig


class KilnConfig(AppConfig):
    name = "enamel.kiln"
