"""Files on their way in: large ones are read by the kiln, refused ones say why, nothing is left behind."""

from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.api.models import Scope, Token
from enamel.core.errors import Refusal
from enamel.kiln import faults, sweeper
from enamel.kiln.faults import OutOfRoom
from enamel.kiln.models import Arrival, Piece
from enamel.kiln.pieces import arrivals, bringing


@pytest.fixture
def large(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every picture counts as large."""
    monkeypatch.setattr(arrivals, "AT_ONCE_MEGAPIXELS", 0.0)


def received(owner: User, path: Path) -> Arrival:
    upload = SimpleUploadedFile(path.name, path.read_bytes())
    found = arrivals.receive_picture(owner, upload, path.name)
    assert isinstance(found, Arrival)
    return found


@pytest.mark.usefixtures("large")
def test_a_large_picture_becomes_the_same_piece_as_a_small_one(
    piece: Piece, artist: User, picture_file: Path
) -> None:
    arrival = received(artist, picture_file)
    assert Piece.objects.count() == 1
    assert arrivals.place_of(arrival).exists()
    arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert (arrival.state, arrival.share) == (Arrival.State.DONE, 1.0)
    assert arrival.piece is not None
    assert arrival.piece.base.sha256 == piece.base.sha256
    job = ProcrastinateJob.objects.get(
        task_name__endswith=".prepare", args__layer_id=str(arrival.piece.base.pk)
    )
    assert job.status == "todo"
    assert arrival.piece.base_file.read() == picture_file.read_bytes()
    assert not arrivals.place_of(arrival).exists()
    assert arrivals.carry_out(arrival.pk) is None


@pytest.mark.usefixtures("large")
def test_what_can_not_be_read_is_refused_in_words(artist: User, picture_file: Path) -> None:
    arrival = received(artist, picture_file)
    place = arrivals.place_of(arrival)
    place.write_bytes(place.read_bytes()[:-400])
    arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert arrival.state == Arrival.State.REFUSED
    assert "broken" in arrival.error
    assert not Piece.objects.exists()
    assert not place.exists()
    arrivals.delete(arrival)
    assert not Arrival.objects.exists()


@pytest.mark.usefixtures("large")
def test_a_file_that_kills_its_worker_is_given_up(artist: User, picture_file: Path) -> None:
    arrival = received(artist, picture_file)
    Arrival.objects.filter(pk=arrival.pk).update(tries=arrivals.ATTEMPTS, state="working")
    arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert "broke off several times" in arrival.error


@pytest.mark.usefixtures("large")
def test_what_is_being_read_can_not_be_put_away(artist: User, picture_file: Path) -> None:
    arrival = received(artist, picture_file)
    arrival.state = Arrival.State.WORKING
    with pytest.raises(Refusal, match="just being read"):
        arrivals.delete(arrival)


def test_a_file_is_not_kept_when_its_piece_can_not_be(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(bringing, "_add_base", full)
    upload = SimpleUploadedFile("eye.png", picture_file.read_bytes())
    with pytest.raises(OSError, match="No space"):
        bringing.import_picture(artist, upload, "eye.png")
    storage = Piece().base_file.storage
    assert not Piece.objects.exists()
    assert (
        not [name for name in storage.listdir("bases")[1] if name]
        if storage.exists("bases")
        else True
    )


@pytest.mark.usefixtures("large")
def test_a_piece_and_the_end_of_its_arrival_are_one_change(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A worker that dies between reading and ending leaves nothing, so that the next makes one piece."""
    arrival = received(artist, picture_file)

    def dies(*given: object, **more: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(arrivals, "_end", dies)
        with pytest.raises(KeyboardInterrupt):
            arrivals.carry_out(arrival.pk)
    assert not Piece.objects.exists()
    arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert arrival.state == Arrival.State.DONE
    assert Piece.objects.get() == arrival.piece
    assert not arrivals.place_of(arrival).exists()


@pytest.mark.usefixtures("large")
def test_an_arrival_and_its_job_are_one_and_a_lost_job_is_put_back(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    arrival = received(artist, picture_file)
    jobs = ProcrastinateJob.objects.filter(task_name__endswith=".read_upload")
    assert jobs.get().args == {"arrival_id": str(arrival.pk)}
    assert sweeper.sweep() == 0
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_events")
        cursor.execute("DELETE FROM procrastinate_jobs")
    assert sweeper.sweep() == 1
    assert sweeper.sweep() == 0
    assert jobs.get().args == {"arrival_id": str(arrival.pk)}


@pytest.mark.usefixtures("large")
def test_a_full_disk_is_waited_for(
    artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    arrival = received(artist, picture_file)
    with monkeypatch.context() as patched:
        patched.setattr(faults, "free_bytes", lambda folder: 0)
        with pytest.raises(OutOfRoom):
            arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert (arrival.state, arrival.tries) == (Arrival.State.WAITING, 0)
    assert "resumes when there is room" in arrival.error
    assert arrivals.place_of(arrival).exists()
    arrivals.carry_out(arrival.pk)
    arrival.refresh_from_db()
    assert (arrival.state, arrival.error) == (Arrival.State.DONE, "")


def test_an_upload_to_a_full_disk_is_refused_in_words(
    client: Client, artist: User, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*given: object, **more: object) -> None:
        raise OSError(28, "No space left on device")

    client.force_login(artist)
    client.raise_request_exception = False
    monkeypatch.setattr(arrivals, "stored", full)
    with picture_file.open("rb") as file:
        answer = client.post(reverse("import-pictures"), {"files": file})
    assert answer.status_code == 507
    assert "The disk is full" in answer.content.decode()
    _, text = Token.objects.issue(artist, "script", [Scope.BRING])
    with picture_file.open("rb") as file:
        headers = {"Authorization": f"Bearer {text}"}
        answer = client.post("/api/v1/pieces", {"file": file}, headers=headers)
    assert answer.status_code == 507
    assert "nothing was kept" in answer.json()["error"]
    assert not Piece.objects.exists()
