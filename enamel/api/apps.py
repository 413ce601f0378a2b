"""The application of scripts."""

from django.apps import AppConfig


class ApiConfig(AppConfig):
    name = "enamel.api"
    default_auto_field = "django.db.models.BigAutoField"
