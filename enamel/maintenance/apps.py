"""Configure the app `maintenance`."""

from django.apps import AppConfig


class MaintenanceConfig(AppConfig):
    name = "enamel.maintenance"
