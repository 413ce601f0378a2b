"""Uploads: workers read large files, rejected ones say why, nothing is left behind."""

from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.accounts.models import Scope, Token
from enamel.core.errors import Refusal
from enamel.jobs import sweeper
from enamel.library import receiving
from enamel.library import services as library
from enamel.library.models import Piece
from enamel.storage import disk
from enamel.storage.disk import OutOfRoom
from enamel.uploads import services
from enamel.uploads.models import Upload
from tests.workers import carry_out, lose_entries, take_turn


@pytest.fixture
def large(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every picture counts as large."""
    monkeypatch.setattr(receiving, "AT_ONCE_MEGAPIXELS", 0.0)


def received(owner: User, path: Path) -> Upload:
    file = SimpleUploadedFile(path.name, path.read_bytes())
    found = receiving.receive_file(owner, file, path.name)
    assert isinstance(found, Upload)
    return found


@pytest.mark.usefixtures("large")
def test_a_large_picture_becomes_the_same_piece_as_a_small_one(
    piece: Piece, artist: User, picture_file: Path
) -> None:
    upload = received(artist, picture_file)
    assert Piece.objects.count() == 1
    assert services.path_of(upload).exists()
    carry_out(upload)
    upload.refresh_from_db()
    assert (upload.state, upload.progress) == (Upload.State.DONE, 1.0)
    made = Piece.objects.get(pk=upload.piece_id)
    assert made.base.sha256 == piece.base.sha256
    job = ProcrastinateJob.objects.get(
        task_name__endswith=".prepare", args__layer_id=str(made.base.pk)
    )
    assert job.status == "todo"
    assert made.base_file.read() == picture_file.read_bytes()
    assert not services.path_of(upload).exists()
    assert take_turn(upload) is None


@pytest.mark.usefixtures("large")
def test_what_can_not_be_read_is_refused_in_words(artist: User, picture_file: Path) -> None:
    upload = received(artist, picture_file)
    place = services.path_of(upload)
    place.write_bytes(place.read_bytes()[:-400])
    carry_out(upload)
    upload.refresh_from_db()
    assert upload.state == Upload.State.FAILED
    assert "broken" in upload.error
    assert not Piece.objects.exists()
    assert not place.exists()
    services.delete(upload)
    assert not Upload.objects.exists()


@pytest.mark.usefixtures("large")
def test_a_file_that_kills_its_worker_is_given_up(artist: User, picture_file: Path) -> None:
    upload = received(artist, picture_file)
    Upload.objects.filter(pk=upload.pk).update(attempts=Upload.MOST_ATTEMPTS, state="running")
    carry_out(upload)
    upload.refresh_from_db()
    assert "worker died" in upload.error


@pytest.mark.usefixtures("large")
def test_what_is_being_read_can_not_be_deleted(artist: User, picture_file: Path) -> None:
    upload = received(artist, picture_file)
    upload.state = Upload.State.RUNNING
    with pytest.raises(Refusal, match="is being read"):
        services.delete(upload)


def test_a_file_is_not_kept_when_its_piece_can_not_be(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(library, "_add_base", full)
    file = SimpleUploadedFile("eye.png", picture_file.read_bytes())
    with pytest.raises(OSError, match="No space"):
        library.import_picture(artist, file, "eye.png")
    storage = Piece().base_file.storage
    assert not Piece.objects.exists()
    assert (
        not [name for name in storage.listdir("bases")[1] if name]
        if storage.exists("bases")
        else True
    )


@pytest.mark.usefixtures("large")
def test_a_piece_and_the_end_of_its_upload_are_one_change(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A worker that dies between reading and ending leaves nothing, so that the next makes one piece."""
    upload = received(artist, picture_file)

    def dies(*given: object, **more: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(Upload, "finish", dies)
        with pytest.raises(KeyboardInterrupt):
            carry_out(upload)
    assert not Piece.objects.exists()
    carry_out(upload)
    upload.refresh_from_db()
    assert upload.state == Upload.State.DONE
    assert Piece.objects.get().pk == upload.piece_id
    assert not services.path_of(upload).exists()


@pytest.mark.usefixtures("large")
def test_an_upload_and_its_job_are_one_and_a_lost_job_is_put_back(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    upload = received(artist, picture_file)
    queued = ProcrastinateJob.objects.filter(task_name="uploads.upload")
    assert queued.get().args == {"job_id": str(upload.pk)}
    assert sweeper.sweep() == 0
    lose_entries()
    assert sweeper.sweep() == 1
    assert sweeper.sweep() == 0
    assert queued.get().args == {"job_id": str(upload.pk)}


@pytest.mark.usefixtures("large")
def test_a_full_disk_is_waited_for(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    upload = received(artist, picture_file)
    with monkeypatch.context() as patched:
        patched.setattr(disk, "free_bytes", lambda folder: 0)
        with pytest.raises(OutOfRoom):
            carry_out(upload)
    upload.refresh_from_db()
    assert (upload.state, upload.attempts) == (Upload.State.WAITING, 0)
    assert "resumes when there is room" in upload.error
    assert services.path_of(upload).exists()
    carry_out(upload)
    upload.refresh_from_db()
    assert (upload.state, upload.error) == (Upload.State.DONE, "")


def test_an_upload_to_a_full_disk_is_refused_in_words(
    client: Client, artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*given: object, **more: object) -> None:
        raise OSError(28, "No space left on device")

    client.force_login(artist)
    client.raise_request_exception = False
    monkeypatch.setattr(receiving, "write_upload", full)
    with picture_file.open("rb") as file:
        answer = client.post(reverse("import-pictures"), {"files": file})
    assert answer.status_code == 507
    assert "The disk is full" in answer.content.decode()
    _, text = Token.objects.issue(artist, "script", [Scope.IMPORT])
    with picture_file.open("rb") as file:
        headers = {"Authorization": f"Bearer {text}"}
        answer = client.post("/api/v2/pieces", {"file": file}, headers=headers)
    assert answer.status_code == 507
    assert "nothing was kept" in answer.json()["error"]
    assert not Piece.objects.exists()
