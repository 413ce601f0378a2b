"""Configure the app `firings`."""

from django.apps import AppConfig


class FiringsConfig(AppConfig):
    name = "enamel.firings"

    def ready(self) -> None:
        from enamel.firings import panels, services
        from enamel.library.signals import piece_deleted
        from enamel.workspace import shell

        piece_deleted.connect(services.stop_for_deletion)
        shell.register_panel(panels.CoatPanel)
        shell.register_part(panels.firing_part)
