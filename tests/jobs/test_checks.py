"""A database of an older version is refused before anything is changed."""

import pytest
from django.core.management import call_command
from django.core.management.base import SystemCheckError
from django.db import connection
from django.db.migrations.recorder import MigrationRecorder

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize("app", ["studio", "library"])
def test_a_database_of_a_version_before_1_0_is_refused_and_nothing_is_touched(app: str) -> None:
    MigrationRecorder(connection).record_applied(app, "0001_initial")
    before = connection.introspection.table_names()
    with pytest.raises(SystemCheckError, match="Nothing was touched"):
        call_command("migrate", skip_checks=False)
    assert connection.introspection.table_names() == before


def test_a_database_of_this_version_is_migrated() -> None:
    call_command("migrate", verbosity=0, skip_checks=False)
