"""Django's PostgreSQL backend, through whose pool a restart of the database passes unnoticed.

The pool's own check waits 1, 2, 4, 8 … seconds between one dead connection and the next, so that after a
restart a pool with five of them kept a visitor until its time was up.
"""

from contextlib import suppress

from django.db.backends.postgresql import base
from psycopg import Connection, OperationalError
from psycopg_pool import ConnectionPool


class DatabaseWrapper(base.DatabaseWrapper):
    """Replaces every dead connection of the pool as soon as one is found."""

    def get_new_connection(self, conn_params: dict[str, object]) -> Connection:
        connection = super().get_new_connection(conn_params)
        pool: ConnectionPool | None = self.pool  # type: ignore[attr-defined]  # not in the stubs yet
        if pool is None:
            return connection
        with suppress(OperationalError):
            ConnectionPool.check_connection(connection)
            return connection
        pool.putconn(connection)
        pool.check()
        return super().get_new_connection(conn_params)
