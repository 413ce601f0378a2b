"""Configure the app `library`."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "enamel.library"
