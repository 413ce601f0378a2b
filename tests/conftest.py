"""An artist, another one, and a piece with a base."""

import gc
import shutil
import socket
import threading
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
import uvicorn
from django.conf import settings
from django.contrib.auth.models import User
from django.core.cache import cache
from django.core.management.commands import flush
from django.db.backends.postgresql.operations import DatabaseOperations
from django.test import Client, override_settings

from devservices.bureau.server import Server
from enamel.accounts.models import Scope
from enamel.core.intake.pixels import examine, read_canvas
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.server import serve
from enamel.touchups import inlays
from tests import bureau
from tests.faces import find_faces_quickly
from tests.pictures import STATIONMASTER
from tests.piececopies import PieceCopies
from tests.scripts import Ask, asking
from tests.workers import wait_for

SIZE = (112, 88)
QUEUE_TABLES = ("procrastinate_periodic_defers", "procrastinate_events", "procrastinate_jobs")
KEPT_TABLES = ("django_content_type", "auth_permission")


@pytest.fixture(scope="session", autouse=True)
def quick_passwords() -> Iterator[None]:
    """A hash that takes no time: the real one takes most of a second for each artist of each test."""
    with override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]):
        yield


@pytest.fixture(scope="session", autouse=True)
def quick_faces() -> Iterator[None]:
    """Find the faces of each picture once, and none on small layers."""
    with pytest.MonkeyPatch.context() as patch:
        find_faces_quickly(patch.setattr)
        yield


@pytest.fixture(scope="session", autouse=True)
def quick_reading() -> Iterator[None]:
    """Read pictures in this process: another one starts for a third of a second. Workers use theirs."""

    def read(path: Path, into: Path, on_progress: object = None) -> None:
        read_canvas(path, examine(path, settings.IMPORT_LIMITS), into).close()

    with pytest.MonkeyPatch.context() as patch:
        for module in (library, inlays):
            patch.setattr(module, "read_in_sandbox", read)
        yield


@pytest.fixture(scope="session", autouse=True)
def quick_flush() -> Iterator[None]:
    """Empty tables by deleting a test's few rows: truncating all of them takes most of a second, and so
    does making content types and permissions again, which stay. The queue's tables are emptied too: Django
    does not know them, and the next test would find their jobs."""

    def sql_flush(
        self: DatabaseOperations, style: object, tables: list[str], **_: object
    ) -> list[str]:
        emptied = [*QUEUE_TABLES, *(table for table in tables if table not in KEPT_TABLES)]
        return [f"DELETE FROM {self.quote_name(table)}" for table in emptied]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(DatabaseOperations, "sql_flush", sql_flush)
        patch.setattr(flush, "emit_post_migrate_signal", lambda *_, **__: None)
        yield


def pytest_collection_finish() -> None:
    """Keep the collector from walking through all modules again and again."""
    gc.collect()
    gc.freeze()


@pytest.fixture
def artist(db: None) -> User:
    return User.objects.create_user("artist", password="verdigris-27")


@pytest.fixture
def administrator(db: None) -> User:
    return User.objects.create_user("administrator", password="verdigris-29", is_staff=True)


@pytest.fixture
def stranger(db: None) -> User:
    return User.objects.create_user("stranger", password="verdigris-28")


@pytest.fixture(scope="session")
def eye(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A small part of the stationmaster as a PNG."""
    path = tmp_path_factory.mktemp("eye") / "eye.png"
    with PIL.Image.open(STATIONMASTER) as image:
        image.crop((290, 300, 290 + SIZE[0], 300 + SIZE[1])).save(path)
    return path


@pytest.fixture
def picture_file(eye: Path, tmp_path: Path) -> Path:
    """A small part of the stationmaster as a PNG, which a test may change."""
    return Path(shutil.copy(eye, tmp_path))


@pytest.fixture(scope="session")
def pieces() -> PieceCopies:
    """Pieces that were imported once, to be copied for each test."""
    return PieceCopies()


@pytest.fixture
def piece(artist: User, eye: Path, pieces: PieceCopies) -> Piece:
    """The small part of the stationmaster, imported and prepared."""
    return pieces.copy(artist, eye)


@pytest.fixture(autouse=True)
def clean_folders() -> Iterator[None]:
    yield
    for folder in (settings.MEDIA_ROOT, settings.KILN_WORK):
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def bureau_of(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[bureau.Open]:
    """Opens a bureau of some mood, and has the house send to it."""
    cache.clear()
    with ExitStack() as stack:

        def open_one(**mood: Any) -> Server:
            _, server = stack.enter_context(bureau.opened(tmp_path, **mood))
            monkeypatch.setattr(settings, "BUREAU", f"http://127.0.0.1:{server.server_address[1]}")
            monkeypatch.setattr(settings, "BUREAU_KEY", bureau.KEY)
            return server

        yield open_one


@pytest.fixture
def served() -> Iterator[str]:
    """Enamel as it is served, on this test's database."""
    listening = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(serve.configuration())
    server.config.timeout_graceful_shutdown = 1
    thread = threading.Thread(target=server.run, args=([listening],), daemon=True)
    thread.start()
    wait_for(lambda: server.started, 30, "the server")
    yield f"http://127.0.0.1:{listening.getsockname()[1]}"
    server.should_exit = True
    thread.join(20)


@pytest.fixture
def signed_in(client: Client, artist: User) -> Client:
    client.force_login(artist)
    return client


@pytest.fixture
def ask(client: Client, artist: User) -> Ask:
    """Ask the API in the artist's name, with every scope."""
    cache.clear()  # how often was asked in the test before
    return asking(client, artist, Scope.values)
