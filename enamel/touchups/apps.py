"""Configure the app `touchups`."""

from django.apps import AppConfig


class TouchupsConfig(AppConfig):
    name = "enamel.touchups"

    def ready(self) -> None:
        from enamel.touchups import panels
        from enamel.workspace import shell

        shell.register_panel(panels.TouchUpPanel)
        shell.register_panel(panels.InlayPanel)
