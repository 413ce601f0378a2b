"""Configure the app `batches`."""

from django.apps import AppConfig


class BatchesConfig(AppConfig):
    name = "enamel.batches"
