"""The kiln: pictures and their layers, the queue of firings, the work on them."""

from django.apps import AppConfig


class KilnConfig(AppConfig):
    name = "enamel.kiln"
    verbose_name = "Kiln"
