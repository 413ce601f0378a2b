"""Backup, restore and verify: what was there is there again, and what is wrong is named."""

import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.core.files.storage import default_storage
from django.core.management import CommandError, call_command
from django.db import connection
from django.db.migrations.recorder import MigrationRecorder

from enamel.accounts.signing import DEMO_NAME
from enamel.core.errors import Refusal
from enamel.core.imaging.canvas import Canvas
from enamel.jobs import sweeper
from enamel.library import layers as store
from enamel.library.models import Layer, Piece
from enamel.maintenance import postgresql
from enamel.maintenance.backups import Backup
from enamel.maintenance.restoring import restore
from enamel.maintenance.stored import references
from enamel.maintenance.verifying import Fault, repair, verify
from tests.layers import enlarged, layer_of
from tests.pictures import whole

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def backup(tmp_path: Path) -> Backup:
    return Backup(tmp_path / "backup")


@pytest.fixture
def layer(piece: Piece, tmp_path: Path) -> Layer:
    """A layer on the base, with all that is made of one."""
    return layer_of(piece, enlarged(pixels(piece.base)), tmp_path)


def pixels(layer: Layer) -> np.ndarray:
    with store.canvas_of(layer) as canvas:
        return whole(canvas)


def move_house() -> None:
    """Leave an empty installation, as on another machine."""
    for one in list(references()):
        default_storage.delete(one.name)
    call_command("flush", interactive=False, verbosity=0)


def altered(path: Path) -> None:
    """Change one byte in the middle of a file."""
    data = bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    path.write_bytes(data)


def test_what_is_restored_elsewhere_is_what_was_backed_up(backup: Backup, layer: Layer) -> None:
    before = pixels(layer)
    original = layer.piece.base_file.read()
    name, copied = backup.make()
    assert copied > before.nbytes
    move_house()
    assert not Piece.objects.exists()
    restore(backup, name)
    again = Layer.objects.get(pk=layer.pk)
    assert (pixels(again) == before).all()
    assert again.piece.base_file.read() == original
    assert again.ready
    assert again.surveyed
    assert again.piece.owner.check_password("verdigris-27")
    assert verify(backup) == []


def test_what_can_be_made_again_may_be_left_out(backup: Backup, layer: Layer) -> None:
    name, _ = backup.make(derived=False)
    assert not [source for source in backup.snapshot(name)[1].files if "pyramids" in source]
    move_house()
    restore(backup)
    again = Layer.objects.get(pk=layer.pk)
    assert not again.ready
    assert sweeper.sweep() == 1, "it is put in the queue to be prepared; the base is there already"
    store.prepare(again)
    assert again.thumbnail.storage.exists(again.thumbnail.name)


def test_a_second_backup_copies_only_what_is_new(
    backup: Backup, layer: Layer, tmp_path: Path
) -> None:
    model = Path(os.environ["ENAMEL_MODELS"]) / "soft.onnx"
    model.parent.mkdir(exist_ok=True)
    model.write_bytes(b"weights that are no row of the database")
    backup.make()
    assert backup.make()[1] == 0
    model.unlink()
    more = layer_of(layer.piece, enlarged(pixels(layer.piece.base)) // 2, tmp_path)
    _, copied = backup.make()
    assert pixels(more).nbytes < copied < 3 * pixels(more).nbytes
    assert len(backup.snapshots()) == 3


def test_the_files_of_a_backup_are_those_of_its_rows(
    backup: Backup, layer: Layer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is added while the database is written is in neither."""

    def add() -> None:
        layer_of(layer.piece, enlarged(pixels(layer.piece.base)) // 3, tmp_path, checked=False)
        connection.close()

    dump = postgresql.dump

    def slow(path: Path, snapshot: str) -> None:
        with ThreadPoolExecutor(1) as other:
            other.submit(add).result()
        dump(path, snapshot)

    known = {one.name for one in references()}
    monkeypatch.setattr(postgresql, "dump", slow)
    name, _ = backup.make()
    kept = backup.snapshot(name)[1].files
    assert {source.removeprefix("pictures/") for source in kept if "pictures/" in source} == known
    assert Layer.objects.count() == 3
    move_house()
    restore(backup)
    assert Layer.objects.count() == 2


def test_a_backup_that_was_cut_off_is_none(
    backup: Backup, layer: Layer, monkeypatch: pytest.MonkeyPatch
) -> None:
    def die(self: Backup, source: object) -> None:
        raise OSError("No space left on device")

    monkeypatch.setattr(Backup, "_copy", die)
    with pytest.raises(OSError, match="No space"):
        backup.make()
    assert backup.snapshots() == []
    with pytest.raises(Refusal, match="no complete snapshot"):
        restore(backup)


def test_nothing_is_restored_where_somebody_works(backup: Backup, layer: Layer) -> None:
    backup.make()
    with pytest.raises(CommandError, match="1 accounts are here already"):
        call_command("restore", str(backup.folder))
    assert Layer.objects.filter(pk=layer.pk).exists()


def test_nothing_is_restored_while_processes_are_connected(backup: Backup, layer: Layer) -> None:
    backup.make()
    move_house()
    other = connection.copy()
    try:
        other.ensure_connection()
        with pytest.raises(
            Refusal, match=r"1 connections to the database are open.*Nothing was changed"
        ):
            restore(backup)
    finally:
        other.close()
        other.close_pool()
    assert not default_storage.exists(layer.pixels.name)


def test_a_damaged_backup_is_not_restored(backup: Backup, layer: Layer) -> None:
    name, _ = backup.make()
    content = backup.snapshot(name)[1].files[f"pictures/{layer.pixels.name}"]
    altered(backup.path_of(content))
    move_house()
    User.objects.create_user(DEMO_NAME)
    with pytest.raises(Refusal, match=r"layers/.*was altered"):
        restore(backup)
    assert User.objects.filter(username=DEMO_NAME).exists()
    assert not Piece.objects.exists()


def test_a_dump_that_can_not_be_read_leaves_the_database_as_it_was(
    backup: Backup, layer: Layer, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    dump = tmp_path / "database.dump"
    dump.write_bytes(b"no dump")
    with pytest.raises(Refusal, match="pg_restore failed"):
        postgresql.restore(dump)
    assert Layer.objects.filter(pk=layer.pk).exists()


def test_a_backup_of_a_newer_enamel_is_refused(backup: Backup, layer: Layer) -> None:
    MigrationRecorder(connection).record_applied("library", "9999_of_next_year")
    backup.make()
    MigrationRecorder(connection).record_unapplied("library", "9999_of_next_year")
    move_house()
    with pytest.raises(Refusal, match="newer Enamel"):
        restore(backup)


def test_an_installation_in_order_has_no_findings(layer: Layer) -> None:
    assert verify() == []


@pytest.mark.parametrize("field", ["pixels", "pyramid", "thumbnail", "overview"])
def test_a_missing_file_is_named_with_its_cure(
    layer: Layer, field: str, capsys: pytest.CaptureFixture[str]
) -> None:
    file = getattr(layer, field)
    Path(file.path).unlink()
    (finding,) = verify()
    assert (finding.fault, finding.name) == (Fault.MISSING, file.name)
    assert finding.curable == (field != "pixels")
    if field == "pixels":
        with pytest.raises(SystemExit):
            call_command("verify", "--repair")
        assert "name a backup that holds it" in capsys.readouterr().out
        return
    call_command("verify", "--repair")
    assert "1 findings, 1 cured" in capsys.readouterr().out
    store.prepare(Layer.objects.get(pk=layer.pk))
    assert verify() == []


@pytest.mark.parametrize("field", ["pixels", "pyramid"])
def test_an_altered_file_is_found_and_comes_back_from_the_backup(
    backup: Backup, layer: Layer, field: str
) -> None:
    backup.make()
    before = pixels(layer)
    altered(Path(getattr(layer, field).path))
    assert [one.fault for one in verify()] == [Fault.ALTERED]
    found = verify(backup)
    assert [one.fault for one in found] == [Fault.ALTERED]
    assert repair(found, backup) == []
    assert verify(backup) == []
    assert (pixels(layer) == before).all()


def test_a_file_without_a_row_is_moved_aside_unless_it_is_being_written(
    layer: Layer, settings: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings.VAR = tmp_path
    stray = Path(settings.MEDIA_ROOT) / "layers" / "stray.npy"
    stray.write_bytes(b"pixels of nobody")
    assert verify() == [], "it may be one that a worker is about to name"
    monkeypatch.setattr("enamel.maintenance.verifying.YOUNG_SECONDS", -1)
    (finding,) = verify()
    assert (finding.fault, finding.name) == (Fault.ORPHANED, "layers/stray.npy")
    assert repair([finding]) == []
    assert not stray.exists()
    (moved,) = tmp_path.glob("orphans/*/layers/stray.npy")
    assert moved.read_bytes() == b"pixels of nobody"
    assert verify() == []


def test_models_of_the_artists_own_are_in_the_backup(backup: Backup, layer: Layer) -> None:
    place = Path(os.environ["ENAMEL_MODELS"]) / "soft.onnx"
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(b"a network")
    try:
        backup.make()
        place.write_bytes(b"another one")
        name, _ = backup.make()
        place.unlink()
        move_house()
        restore(backup, name)
        assert place.read_bytes() == b"another one"
    finally:
        place.unlink(missing_ok=True)


def test_a_canvas_cut_short_is_found(layer: Layer) -> None:
    path = Path(layer.pixels.path)
    path.write_bytes(path.read_bytes()[:-100])
    assert [one.fault for one in verify()] == [Fault.ALTERED]
    with pytest.raises((Refusal, ValueError, OSError)):
        Canvas(path).digest()
