"""Configure the app `prints`."""

from django.apps import AppConfig


class PrintsConfig(AppConfig):
    name = "enamel.prints"

    def ready(self) -> None:
        from enamel.prints import panels
        from enamel.workspace import shell

        shell.register_panel(panels.PrintPanel)
        shell.register_panel(panels.FilePanel)
