"""How much of the disk files take, quotas, and what gives way on a full disk."""

from pathlib import Path

import numpy as np
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.cache import cache
from django.core.files.base import ContentFile
from django.test import Client
from django.urls import reverse

from enamel.accounts.models import Preferences
from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.tiling.tilestore import FolderStore
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.prints import services as prints
from enamel.storage import disk
from enamel.storage.usage import bytes_of, usage_of
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def nothing_remembered() -> None:
    cache.clear()


@pytest.fixture
def full_quota(artist: User, monkeypatch: pytest.MonkeyPatch) -> None:
    """A quota that is used up."""
    Preferences.objects.create(artist=artist, quota_gb=1)
    monkeypatch.setattr("enamel.accounts.quotas.bytes_of", lambda owner_id: 10**9)


def stored_bytes() -> int:
    return sum(
        path.stat().st_size for path in Path(settings.MEDIA_ROOT).rglob("*") if path.is_file()
    )


def test_usage_is_what_is_stored_by_kind_and_piece(piece: Piece, stranger: User) -> None:
    made = prints.order(piece.base, PrintSettings(Output(FileFormat.PNG)))
    carry_out(made)
    usage = usage_of(piece.owner_id)
    assert usage.bytes == stored_bytes() == bytes_of(piece.owner_id)
    assert {use.kind: use.files for use in usage.kinds} == {
        "files as they were imported": 1,
        "layers": 4,
        "print files": 1,
    }
    assert usage.pieces == {piece.pk: usage.bytes}
    assert usage_of(stranger.pk).kinds == ()


def test_a_file_that_two_rows_name_counts_once_and_a_missing_one_as_empty(piece: Piece) -> None:
    before = usage_of(piece.owner_id).bytes
    made = prints.order(piece.base, PrintSettings(Output(FileFormat.PNG)))
    for name in (piece.base.pixels.name, "prints/gone.png"):
        type(made).objects.filter(pk=made.pk).update(file=name)
        assert usage_of(piece.owner_id).bytes == before


def test_a_deleted_piece_counts_until_it_is_deleted_for_good(piece: Piece) -> None:
    before = usage_of(piece.owner_id).bytes
    library.delete_pieces([piece])
    assert usage_of(piece.owner_id).bytes == before


@pytest.mark.usefixtures("full_quota")
def test_nothing_starts_over_the_quota_and_nothing_is_kept(
    piece: Piece, artist: User, eye: Path
) -> None:
    files = stored_bytes()
    for begin in (
        lambda: firings.enqueue_schedule(piece.base, coat()),
        lambda: prints.order(piece.base, PrintSettings(Output(FileFormat.PNG))),
        lambda: library.import_picture(artist, ContentFile(eye.read_bytes()), "again.png"),
    ):
        with pytest.raises(Refusal, match=r"1\.0 of your 1 GB are used"):
            begin()
    assert Firing.objects.count() == 0
    assert Piece.objects.count() == 1
    assert stored_bytes() == files


def test_without_a_quota_only_the_disk_is_the_limit(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("enamel.accounts.quotas.bytes_of", lambda owner_id: 10**15)
    assert firings.enqueue_schedule(piece.base, coat()).pk


def test_the_page_shows_the_artists_own_files_alone(signed_in: Client, piece: Piece) -> None:
    text = signed_in.get(reverse("disk")).content.decode()
    assert piece.title in text
    assert "All accounts" not in text


def test_administrators_set_quotas_and_others_do_not(
    client: Client, artist: User, administrator: User
) -> None:
    address = reverse("set-quota", args=[artist.pk])
    client.force_login(artist)
    assert client.post(address, {"quota": "5"}).status_code == 404
    assert not Preferences.objects.filter(artist=artist).exists()
    client.force_login(administrator)
    assert "artist" in client.get(reverse("disk")).content.decode()
    for typed, kept in (("5", 5), ("a lot", 5), ("0", 5), ("9" * 5000, 5), ("", None)):
        answer = client.post(address, {"quota": typed}, follow=True)
        assert Preferences.objects.get(artist=artist).quota_gb == kept
        assert answer.status_code == 200
    client.post(address, {"quota": "1"})
    client.force_login(artist)
    assert "of your" in client.get(reverse("disk")).content.decode()


def test_shared_tiles_give_way_before_work_waits(monkeypatch: pytest.MonkeyPatch) -> None:
    store = FolderStore(Path(settings.KILN_WORK) / disk.SHARED_TILES, 10)
    store.put("ab12", np.zeros((8, 8, 3), np.uint16))
    monkeypatch.setattr(
        disk, "free_bytes", lambda folder: 0 if store.get("ab12") is not None else 10**9
    )
    disk.require_some_room()
    assert store.get("ab12") is None
    monkeypatch.setattr(disk, "free_bytes", lambda folder: 0)
    with pytest.raises(disk.OutOfRoom):
        disk.require_some_room()
