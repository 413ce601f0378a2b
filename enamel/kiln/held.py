"""One at a time: a lock in the database that falls with its holder's connection, so never stays behind."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from uuid import UUID

from django.db import InterfaceError, OperationalError, connection


class Busy(Exception):
    """Another worker holds it, or something else goes first."""


@contextmanager
def held(thing: UUID) -> Iterator[None]:
    """This thing for this worker alone.

    Raises
    ------
    Busy
        When another holds it.
    """
    key = lock_key(thing)
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", [key])
        if not cursor.fetchone()[0]:
            raise Busy
        try:
            yield
        finally:
            with suppress(OperationalError, InterfaceError):
                cursor.execute("SELECT pg_advisory_unlock(%s)", [key])


def worked_on(thing: UUID) -> bool:
    """Whether a living worker holds a thing."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_xact_lock(%s)", [lock_key(thing)])
        return not cursor.fetchone()[0]


def lock_key(thing: UUID) -> int:
    """The database's number for the lock of a thing."""
    return thing.int & (2**63 - 1)
