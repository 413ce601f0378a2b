"""Django's PostgreSQL backend, with a connection pool that survives a restart of the database.

The pool's own check waits 1, 2, 4, 8 … seconds from one dead connection to the next, so after a restart a
request that met five of them timed out.
"""

from contextlib import suppress

from django.db.backends.postgresql import base
from psycopg import Connection, OperationalError
from psycopg_pool import ConnectionPool


class DatabaseWrapper(base.DatabaseWrapper):
    """Replaces all dead connections of the pool as soon as one is found."""

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
