"""Configure the app `swatches`."""

from django.apps import AppConfig


class SwatchesConfig(AppConfig):
    name = "enamel.swatches"

    def ready(self) -> None:
        from enamel.library.signals import layer_added, piece_deleted
        from enamel.swatches import nearness, panels, services
        from enamel.workspace import shell

        piece_deleted.connect(services.stop_for_deletion)
        layer_added.connect(nearness.note)
        shell.register_part(panels.swatch_part)
