"""Files that scripts send, over a real socket."""

import socket
from pathlib import Path

import httpx
import numpy as np
import pytest
import tifffile
from django.contrib.auth.models import User

from enamel.accounts.models import Scope, Token
from enamel.library.models import Piece
from enamel.server import serve
from enamel.uploads.models import Upload
from tests.workers import wait_for

pytestmark = pytest.mark.django_db(transaction=True)
MB = 1_000_000


def picture_of(megabytes: float, folder: Path) -> Path:
    """A TIFF of noise that no packing makes smaller."""
    width = 5000
    height = round(megabytes * MB / width / 6)
    samples = np.random.default_rng(1).integers(0, 65536, (height, width, 3), dtype=np.uint16)
    path = folder / f"{megabytes}.tif"
    tifffile.imwrite(path, samples, photometric="rgb")
    return path


def sent(served: str, path: Path, token: str) -> httpx.Response:
    with path.open("rb") as file, httpx.Client(trust_env=False, timeout=120) as client:
        return client.post(
            f"{served}/api/v2/pieces", files={"file": file},
            headers={"Authorization": f"Bearer {token}"},
        )  # fmt: skip


@pytest.mark.parametrize("megabytes", [5, 150])
def test_a_script_imports_large_pictures(
    served: str, artist: User, tmp_path: Path, megabytes: int
) -> None:
    _, token = Token.objects.issue(artist, "script", [Scope.IMPORT])
    answer = sent(served, picture_of(megabytes, tmp_path), token)
    assert answer.status_code in (201, 202), answer.text
    assert Piece.objects.count() + Upload.objects.count() == 1


def test_what_is_too_large_is_refused_in_json(
    served: str, artist: User, tmp_path: Path, settings: object
) -> None:
    _, token = Token.objects.issue(artist, "script", [Scope.IMPORT])
    settings.MAX_UPLOAD_MB = 0.1  # type: ignore[attr-defined]  # of which a request may hold twenty
    path = picture_of(5, tmp_path)
    for who in (token, "en_made-up"):
        answer = sent(served, path, who)
        assert answer.status_code == 413
        assert answer.headers["content-type"] == "application/json"
        assert "Nothing was kept" in answer.json()["error"]
    assert not Piece.objects.exists()


def test_who_begins_a_request_and_says_no_more_is_hung_up_on(
    served: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(serve, "HEAD_SECONDS", 0.3)
    port = int(served.rsplit(":", 1)[1])
    whole = b"GET /sign-in/ HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
    for begun in (b"", b"GET /sign-in/ HTTP/1.1\r\nHost: ", whole + b"GET /"):
        with socket.create_connection(("127.0.0.1", port), timeout=20) as line:
            line.sendall(begun)
            came = b""
            while part := line.recv(65536):
                came += part
            assert (b" 200 OK" in came) is begun.startswith(whole)


def test_hanging_up_leaves_slow_answers_alone(served: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(serve, "HEAD_SECONDS", 0.05)
    with httpx.Client(trust_env=False, timeout=20) as client:
        wait_for(lambda: client.get(f"{served}/sign-in/").status_code == 200, 10, "an answer")
