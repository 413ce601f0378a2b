"""Advisory locks of the database: they end with their holder's connection, so none is left behind."""

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from uuid import UUID

from django.db import InterfaceError, OperationalError, connection


class Busy(Exception):
    """Another worker holds the lock, or something else goes first."""


@contextmanager
def advisory_lock(thing: UUID | str) -> Iterator[None]:
    """Hold a lock while the block runs. ``name`` is a row's id or a result's content key.

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


def is_locked(thing: UUID | str) -> bool:
    """Return whether a living process holds a lock."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_xact_lock(%s)", [lock_key(thing)])
        return not cursor.fetchone()[0]


def lock_key(thing: UUID | str) -> int:
    """Return the number by which PostgreSQL knows a lock."""
    if isinstance(thing, UUID):
        return thing.int & (2**63 - 1)
    return int.from_bytes(hashlib.sha256(thing.encode()).digest()[:8], "big") >> 1
