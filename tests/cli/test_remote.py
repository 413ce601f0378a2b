"""The command line at a running Enamel."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
from django.contrib.auth.models import User

from enamel.accounts.models import Scope, Token
from enamel.cli import main as run
from enamel.cli.remote import client
from enamel.firings.models import Firing
from enamel.library.models import Piece
from tests.schedules import coat
from tests.workers import worker

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def schedule(tmp_path: Path) -> str:
    path = tmp_path / "quick.json"
    path.write_text(json.dumps(coat(steps=1).to_json()))
    return str(path)


@pytest.fixture
def at(served: str, artist: User, monkeypatch: pytest.MonkeyPatch) -> str:
    """A running Enamel, and a token for it in the environment."""
    _, text = Token.objects.issue(artist, "command line", Scope.values)
    monkeypatch.setenv("ENAMEL_TOKEN", text)
    monkeypatch.setattr(client, "PAUSE_SECONDS", 0.1)
    return served


@pytest.fixture
def kiln() -> Iterator[None]:
    process = worker()
    yield
    process.terminate()
    process.wait(30)


def remote(at: str, capsys: pytest.CaptureFixture[str], *words: str) -> Any:
    assert run(["remote", "--at", at, "--json", *words]) == 0
    return json.loads(capsys.readouterr().out)


def test_from_files_to_results(
    at: str, kiln: None, capsys: pytest.CaptureFixture[str], picture_file: Path, schedule: str,
    tmp_path: Path,
) -> None:  # fmt: skip
    (piece,) = remote(at, capsys, "import", str(picture_file))
    assert remote(at, capsys, "pieces", "eye")[0]["id"] == piece["id"]
    out = tmp_path / "result.png"
    firing = remote(at, capsys, "fire", piece["id"], "--schedule", schedule, "--output", str(out))
    assert firing["state"] == "done"
    assert PIL.Image.open(out).size == (224, 176)
    checks = remote(at, capsys, "check", firing["result"])
    assert checks["ready"]
    rows = remote(at, capsys, "compare", firing["result"], firing["result"])
    assert {"joins", "structure"} <= {row["measure"] for row in rows}
    taken = tmp_path / "again.tif"
    remote(at, capsys, "take", firing["result"], str(taken), "--bits", "16")
    assert PIL.Image.open(taken).size == (224, 176)
    folder = tmp_path / "swatches"
    remote(
        at, capsys, "swatch", piece["id"], str(folder), "--window", "0,0,64,64",
        "--schedule", schedule, "--vary", "strength=0.2,0.5",
    )  # fmt: skip
    assert len(list(folder.glob("*.png"))) >= 2
    batch = remote(at, capsys, "batch", piece["id"], "--schedule", schedule, "--wait")
    assert [item["state"] for item in batch["items"]] == ["done"]


def test_what_is_said_in_lines(
    at: str, capsys: pytest.CaptureFixture[str], piece: Piece, schedule: str
) -> None:
    assert run(["remote", "--at", at, "pieces"]) == 0
    assert f"{piece.pk}  112 × 88  eye" in capsys.readouterr().out
    assert run(["remote", "--at", at, "fire", str(piece.pk)]) == 0
    assert f"{Firing.objects.get().pk}  waiting  layer to come" in capsys.readouterr().out


def test_what_goes_wrong_is_reported(
    at: str, capsys: pytest.CaptureFixture[str], piece: Piece, tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    wrong = tmp_path / "wrong.json"
    wrong.write_text('{"coats": [{"refine": {"steps": 0}}]}')
    none = "00000000-0000-0000-0000-000000000000"
    for words, problem in (
        (["fire", str(piece.pk), "--schedule", str(wrong)], "coats[0].refine.steps"),
        (["fire", none], "It is not there, or not yours."),
        (["check", str(piece.base.pk)], "measured against it"),
        (["import", "nothing.png"], "There is no file nothing.png."),
        (["import", str(wrong)], "PNG, JPEG, WebP or TIFF"),
        (["swatch", str(piece.pk), "x", "--window", "0,0,64,64", "--vary", "strength"], "SETTING=VALUES"),
        (["take", str(piece.base.pk), "x.doc"], "name it"),
    ):  # fmt: skip
        assert run(["remote", "--at", at, *words]) == 2
        assert problem in capsys.readouterr().err, words
    monkeypatch.setattr(client, "TRIES", 1)
    assert run(["remote", "--at", "http://127.0.0.1:9", "pieces"]) == 2
    assert "There is no Enamel at http://127.0.0.1:9" in capsys.readouterr().err
    monkeypatch.delenv("ENAMEL_TOKEN")
    assert run(["remote", "pieces"]) == 2
    assert "Put a token into ENAMEL_TOKEN" in capsys.readouterr().err
