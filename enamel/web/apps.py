"""Configure the app `web`."""

from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "enamel.web"
