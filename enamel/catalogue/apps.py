"""Configure the app `catalogue`."""

from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    name = "enamel.catalogue"
