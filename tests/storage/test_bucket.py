"""Pictures, layers and files in an S3-compatible storage, and workers that share nothing else."""

import io
import signal
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import boto3
import pytest
from asgiref.sync import async_to_sync
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files import File
from django.test import Client, override_settings
from django.urls import reverse
from moto.server import ThreadedMotoServer

from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.finishing.recipe import Finish, Grain
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import layers as store
from enamel.library import services as library
from enamel.library.models import Layer, Piece
from enamel.prints import services as prints
from enamel.storage import copies
from tests.firings.test_firings import carried_out, pixels_of
from tests.pictures import assert_same_pixels, whole
from tests.schedules import coat
from tests.workers import carry_out, wait_for, worker

BUCKET = "kestrel-vale"


@pytest.fixture(scope="module")
def server() -> Iterator[str]:
    """A stand-in for such a storage, on loopback."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AWS_ACCESS_KEY_ID", "kestrel")
        patch.setenv("AWS_SECRET_ACCESS_KEY", "vale")
        patch.setenv("AWS_DEFAULT_REGION", "us-east-1")
        server = ThreadedMotoServer(port=0, verbose=False)
        server.start()
        host, port = server.get_host_and_port()
        yield f"http://{host}:{port}"
        server.stop()


@pytest.fixture
def bucket(server: str) -> Iterator[Any]:
    """A bucket that Enamel keeps its files in."""
    made = boto3.resource("s3", endpoint_url=server).create_bucket(Bucket=BUCKET)
    options = {"bucket_name": BUCKET, "endpoint_url": server, "default_acl": None}
    elsewhere = {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options}
    with override_settings(STORAGES=settings.STORAGES | {"default": elsewhere}):
        yield made
    made.objects.all().delete()
    made.delete()


def names(bucket: Any) -> set[str]:
    return {found.key for found in bucket.objects.all()}


def test_everything_is_in_the_bucket_and_can_be_looked_at(
    bucket: Any, client: Client, piece: Piece
) -> None:
    client.force_login(piece.owner)
    layer = carried_out(firings.enqueue_schedule(piece.base, coat())).result
    assert layer is not None
    assert {layer.pixels.name, piece.base.pixels.name} <= names(bucket)
    assert not list(Path(settings.MEDIA_ROOT).rglob("*.npy"))
    tile = client.get(reverse("layer-tile", args=[layer.pk, 7, 0, 0]))
    assert tile.headers["Content-Type"] == "image/png"
    assert client.get(reverse("thumbnail", args=[layer.pk])).status_code == 200
    base = client.get(reverse("base-file", args=[piece.pk]), headers={"Range": "bytes=1-3"})
    assert b"".join(base.streaming_content) == b"PNG"
    finished = carried_out(firings.enqueue_finish(layer, Finish(grain=Grain(on=True)))).result
    assert finished is not None
    made = prints.order(finished, PrintSettings(Output(FileFormat.PNG)))
    carry_out(made)
    made.refresh_from_db()
    assert made.state == made.State.DONE
    assert made.file.name in names(bucket)
    together = client.post(reverse("print-files-together"), {"file": str(made.pk), "do": "zip"})
    archive = zipfile.ZipFile(io.BytesIO(b"".join(_sent(together))))
    assert archive.testzip() is None
    assert archive.namelist() == [made.name]
    prints.delete(made)
    assert made.file.name not in names(bucket)


def _sent(response: Any) -> Iterator[bytes]:
    async def whole() -> list[bytes]:
        return [block async for block in response.streaming_content]

    yield from async_to_sync(whole)()


def test_a_layer_is_fetched_once_and_evicted_when_there_is_no_room(
    bucket: Any, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    with store.canvas_of(piece.base) as canvas:
        first = whole(canvas).copy()
    copy = copies.local(piece.base.pixels.storage, piece.base.pixels.name)
    bucket.Object(piece.base.pixels.name).delete()
    with store.canvas_of(piece.base) as canvas:
        assert_same_pixels(whole(canvas), first)
    monkeypatch.setattr(settings, "COPIES_MB", 0)
    monkeypatch.setattr(copies, "IN_USE_SECONDS", 0)
    copies._make_room()
    assert not copy.exists()


@pytest.mark.django_db(transaction=True)
def test_two_workers_share_only_the_database_and_the_bucket(
    bucket: Any, server: str, artist: User, picture_file: Path, tmp_path: Path
) -> None:
    with picture_file.open("rb") as file:
        piece = library.import_picture(artist, File(file), "eye.png")
    store.prepare(piece.base)
    plan = coat(steps=4, tile=(64, 64), overlap=16)
    firing = firings.enqueue_schedule(piece.base, plan)

    def machine(name: str) -> Any:
        folder = tmp_path / name
        return worker(
            "firings", ENAMEL_BUCKET=BUCKET, ENAMEL_BUCKET_URL=server,
            ENAMEL_WORK=str(folder / "kiln"), ENAMEL_MEDIA=str(folder / "pictures"),
        )  # fmt: skip

    one = machine("laptop")
    wait_for(lambda: Firing.objects.get(pk=firing.pk).done >= 3, 240, "a few tiles")
    one.send_signal(signal.SIGKILL)
    one.wait(30)
    other = machine("tower")
    try:
        wait_for(lambda: not Firing.objects.get(pk=firing.pk).open, 300, "the end")
    finally:
        other.terminate()
        other.wait(30)
    firing.refresh_from_db()
    assert firing.state == Firing.State.DONE, firing.error
    assert firing.result is not None
    twin = library.duplicate(piece)
    alone = carried_out(firings.enqueue_schedule(twin.base, plan)).result
    assert alone is not None
    assert_same_pixels(pixels_of(firing.result), pixels_of(alone))
    assert Layer.objects.filter(piece=piece).count() == 2
    assert not (tmp_path / "tower" / "pictures").exists()
