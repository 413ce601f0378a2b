"""Configure the app `finishing`."""

from django.apps import AppConfig


class FinishingConfig(AppConfig):
    name = "enamel.finishing"

    def ready(self) -> None:
        from enamel.finishing import panels
        from enamel.workspace import shell

        shell.register_panel(panels.FinishPanel)
