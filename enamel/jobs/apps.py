"""Configure the app `jobs`."""

from django.apps import AppConfig
from django.core.checks import Tags, register


class JobsConfig(AppConfig):
    name = "enamel.jobs"

    def ready(self) -> None:
        from enamel.jobs.checks import check_database_version

        register(check_database_version, Tags.database)
