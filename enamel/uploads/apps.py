"""Configure the app `uploads`."""

from django.apps import AppConfig


class UploadsConfig(AppConfig):
    name = "enamel.uploads"

    def ready(self) -> None:
        from enamel.accounts.signals import account_leaving
        from enamel.uploads import services

        account_leaving.connect(services.delete_files_of)
