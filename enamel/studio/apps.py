"""The studio: the pages artists use."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    name = "enamel.studio"
    verbose_name = "Studio"
