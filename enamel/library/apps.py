"""Configure the app `library`."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "enamel.library"

    def ready(self) -> None:
        from enamel.accounts.signals import account_leaving
        from enamel.library import services

        account_leaving.connect(services.pass_on)
