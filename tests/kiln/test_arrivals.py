"""Files on their way in: large ones are read by the kiln, refused ones say why, nothing is left behind."""

from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Refusal
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
        bringing.bring_in(artist, upload, "eye.png")
    storage = Piece().base_file.storage
    assert not Piece.objects.exists()
    assert (
        not [name for name in storage.listdir("bases")[1] if name]
        if storage.exists("bases")
        else True
    )
