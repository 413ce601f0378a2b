"""PostgreSQL's own programs, on this installation's database."""

import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
from django.db import connection, connections
from psycopg import sql

from enamel.core.errors import Refusal


def dump(path: Path, snapshot: str) -> None:
    """Dump the database into a file, as of an exported snapshot."""
    _run("pg_dump", "--format=custom", f"--snapshot={snapshot}", f"--file={path}", _database())


@contextmanager
def exported_snapshot() -> Iterator[str]:
    """Provide the name of a snapshot of the database; queries of the block see it, too.

    PostgreSQL documentation, 9.28.5 (snapshot synchronisation functions).
    """
    connection.close()
    connection.ensure_connection()
    with connection.cursor() as cursor:
        cursor.execute("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
        try:
            cursor.execute("SELECT pg_export_snapshot()")
            yield str(cursor.fetchone()[0])
        finally:
            cursor.execute("ROLLBACK")


CLOSING_SECONDS = 3.0
"""How long connections that were just closed may take to end in the database server."""


def require_unused() -> None:
    """Refuse while other processes are connected to the database."""
    connections.close_all()
    connection.close_pool()  # type: ignore[attr-defined]
    end = time.monotonic() + CLOSING_SECONDS
    with _maintenance() as database:
        while used := _clients(database):
            if time.monotonic() > end:
                raise Refusal(
                    f"{used} connections to the database are open. Stop Enamel first (bin/stop), start the "
                    "database alone (bin/cluster start), and restore then. Nothing was changed."
                )
            time.sleep(0.05)


def _clients(database: psycopg.Connection) -> int:
    """Return how many clients are connected; the server's own work, as vacuuming, does not count."""
    found = database.execute(
        "SELECT count(*) FROM pg_stat_activity WHERE datname = %s AND backend_type = 'client backend'",
        [_database()],
    ).fetchone()
    return int(found[0]) if found else 0


def restore(path: Path) -> None:
    """Replace the database by what a file holds; when that fails, the database is as it was.

    Raises
    ------
    Refusal
        When the file can't be read.
    """
    name = _database()
    fresh, old = f"{name}_restoring", f"{name}_replaced"
    connections.close_all()
    connection.close_pool()  # type: ignore[attr-defined]
    with _maintenance() as database:
        _drop(database, fresh)
        _drop(database, old)
        database.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(fresh)))
        try:
            _run("pg_restore", "--no-owner", "--no-privileges", "--exit-on-error",
                 f"--dbname={fresh}", str(path))  # fmt: skip
        except Refusal:
            _drop(database, fresh)
            raise
        _rename(database, name, old)
        _rename(database, fresh, name)
        _drop(database, old)


def _database() -> str:
    return str(connection.settings_dict["NAME"])


@contextmanager
def _maintenance() -> Iterator["psycopg.Connection[tuple[object, ...]]"]:
    """Provide a connection to the database server that uses none of our databases."""
    known = connection.settings_dict
    with psycopg.connect(
        host=known["HOST"], port=known["PORT"], user=known["USER"], password=known["PASSWORD"],
        dbname="postgres", autocommit=True,
    ) as database:  # fmt: skip
        yield database


def _drop(database: "psycopg.Connection[tuple[object, ...]]", name: str) -> None:
    database.execute(sql.SQL("DROP DATABASE IF EXISTS {}").format(sql.Identifier(name)))


def _rename(database: "psycopg.Connection[tuple[object, ...]]", name: str, to: str) -> None:
    database.execute(
        sql.SQL("ALTER DATABASE {} RENAME TO {}").format(sql.Identifier(name), sql.Identifier(to))
    )


def _run(program: str, *arguments: str) -> None:
    """Run one of PostgreSQL's programs. When it fails, a `Refusal` holds its message."""
    known = connection.settings_dict
    environment = os.environ | {
        "PGHOST": str(known["HOST"]), "PGPORT": str(known["PORT"]),
        "PGUSER": str(known["USER"]), "PGPASSWORD": str(known["PASSWORD"]),
    }  # fmt: skip
    ended = subprocess.run(
        [_program(program), *arguments], env=environment, capture_output=True, text=True
    )
    if ended.returncode:
        raise Refusal(f"{program} failed: {ended.stderr.strip()}")


def _program(name: str) -> str:
    """Return the path of a program's newest version on this machine."""
    versions = Path("/usr/lib/postgresql").glob(f"*/bin/{name}")
    found = max(versions, key=lambda path: int(path.parts[4]), default=None)
    on_path = shutil.which(name)
    if found is None and on_path is None:
        raise Refusal(
            f"{name} is not on this machine. It comes with Debian's package postgresql-client."
        )
    return str(found or on_path)
