"""Configure the app `workspace`."""

from django.apps import AppConfig


class WorkspaceConfig(AppConfig):
    name = "enamel.workspace"

    def ready(self) -> None:
        from enamel.workspace import panels, shell

        shell.register_panel(panels.BasePanel)
