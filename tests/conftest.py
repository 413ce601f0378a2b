"""An artist, another one, and a piece with a base."""

import shutil
import socket
import threading
from collections.abc import Iterator
from contextlib import ExitStack
from hashlib import sha256
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
import uvicorn
from django.conf import settings
from django.contrib.auth.models import User
from django.core.cache import cache
from django.core.files import File
from django.db.backends.postgresql.operations import DatabaseOperations
from django.test import Client, override_settings

from devservices.bureau.server import Server
from enamel.accounts.models import Scope
from enamel.core.faces import detection as faces
from enamel.core.faces import detector
from enamel.core.faces.detector import Found, Rgb
from enamel.core.imaging.canvas import Picture
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.server import serve
from tests import bureau
from tests.pictures import STATIONMASTER
from tests.scripts import Ask, asking
from tests.workers import wait_for

SIZE = (112, 88)
QUEUE_TABLES = ("procrastinate_periodic_defers", "procrastinate_events", "procrastinate_jobs")


@pytest.fixture(scope="session", autouse=True)
def quick_passwords() -> Iterator[None]:
    """A hash that takes no time: the real one takes most of a second for each artist of each test."""
    with override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"]):
        yield


NO_FACE = 240
"""Layers up to this side in px are taken to have no faces: a third of a second each went into looking."""


@pytest.fixture(scope="session", autouse=True)
def faces_once() -> Iterator[None]:
    """What the face detector found in a picture is remembered, because tests import the same few again and
    again; small layers are not looked at."""
    known: dict[tuple[tuple[int, ...], bytes], list[Found]] = {}

    def detected(rgb: Rgb) -> list[Found]:
        key = rgb.shape, sha256(rgb.tobytes()).digest()
        if key not in known:
            known[key] = detector.detected(rgb)
        return known[key]

    def detect_faces(picture: Picture) -> list[faces.Face]:
        return [] if max(picture.size) <= NO_FACE else faces.detect_faces(picture)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(faces, "detected", detected)
        patch.setattr(store, "detect_faces", detect_faces)
        yield


@pytest.fixture(scope="session", autouse=True)
def emptied_by_rows() -> Iterator[None]:
    """Tables are emptied by deleting the few rows of a test: truncating all takes most of a second. The
    queue's are too, which Django does not know as its own: a job left there is another test's to find."""

    def sql_flush(
        self: DatabaseOperations, style: object, tables: list[str], **_: object
    ) -> list[str]:
        return [f"DELETE FROM {self.quote_name(table)}" for table in (*QUEUE_TABLES, *tables)]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(DatabaseOperations, "sql_flush", sql_flush)
        yield


@pytest.fixture
def artist(db: None) -> User:
    return User.objects.create_user("artist", password="verdigris-27")


@pytest.fixture
def administrator(db: None) -> User:
    return User.objects.create_user("administrator", password="verdigris-29", is_staff=True)


@pytest.fixture
def stranger(db: None) -> User:
    return User.objects.create_user("stranger", password="verdigris-28")


@pytest.fixture
def picture_file(tmp_path: Path) -> Path:
    """A small part of the stationmaster as a PNG."""
    path = tmp_path / "eye.png"
    with PIL.Image.open(STATIONMASTER) as image:
        image.crop((290, 300, 290 + SIZE[0], 300 + SIZE[1])).save(path)
    return path


@pytest.fixture
def piece(artist: User, picture_file: Path) -> Piece:
    with picture_file.open("rb") as file:
        made = library.import_picture(artist, File(file), picture_file.name)
    store.prepare(made.base)
    return made


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
