"""Refuse databases of versions before 1.0: their migrations are not those of this version."""

from collections.abc import Sequence
from typing import Any

from django.conf import settings
from django.core.checks import CheckMessage, Error
from django.db import connections

BEFORE_1_0 = (("studio", "0001_initial"), ("library", "0001_initial"))
"""Migrations, by app and name, that only versions before 1.0 had."""


def check_database_version(
    databases: Sequence[str] | None = None, **given: Any
) -> list[CheckMessage]:
    """Return an error for a database that a version before 1.0 has made."""
    for alias in databases or ():
        with connections[alias].cursor() as cursor:
            if "django_migrations" not in connections[alias].introspection.table_names(cursor):
                continue
            cursor.execute("SELECT app, name FROM django_migrations")
            if set(BEFORE_1_0) & set(cursor.fetchall()):
                return [
                    Error(
                        f"The database under {settings.VAR} was made by a version of Enamel before 1.0, "
                        "which this version can't read. Nothing was touched.",
                        hint="Move that folder aside and start again. Its pictures, as they were imported, "
                        "are in its folder pictures/bases.",
                        id="enamel.E001",
                    )
                ]
    return []
