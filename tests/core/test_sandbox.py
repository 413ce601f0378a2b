"""What reads foreign files reaches no network, no other files, and leaves nothing behind."""

import socket
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from enamel.core import sandbox
from enamel.core.intake import reading
from enamel.core.intake.pixels import Limits
from enamel.core.limited import answer_of

HOSTILE = """
import os, socket, time
from pathlib import Path
from enamel.core.limited import answer

def attempt(what):
    try:
        return str(what())
    except OSError as error:
        return type(error).__name__

def work(arguments, hear):
    secret, own, elsewhere, port = arguments
    if not os.fork():  # what outlives its parent
        os.setsid()
        if not os.fork():
            os.close(1)
            time.sleep(3)
            Path(own, "late").write_text("still here")
        os._exit(0)
    return {
        "network": attempt(lambda: socket.create_connection(("127.0.0.1", int(port)), 2)),
        "secret": attempt(Path(secret).read_text),
        "password": os.environ.get("ENAMEL_DB_PASSWORD"),
        "elsewhere": attempt(lambda: Path(elsewhere, "new").write_text("x")),
        "own": attempt(lambda: Path(own, "new").write_text("x")),
        "accounts": attempt(Path("/etc/passwd").read_text),
    }

answer(work, 30)
"""

pytestmark = pytest.mark.skipif(not sandbox.available(), reason="bubblewrap can't be used here")


@pytest.fixture
def folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[Path, Path, Path]:
    """The hostile module's folder, one it may write in, and one it may not see."""
    modules, own, elsewhere = (tmp_path / name for name in ("modules", "own", "elsewhere"))
    for folder in (modules, own, elsewhere):
        folder.mkdir()
    (modules / "hostile_work.py").write_text(HOSTILE)
    (elsewhere / "secret").write_text("the demo's password")
    monkeypatch.setenv("PYTHONPATH", str(modules))
    monkeypatch.setenv("ENAMEL_DB_PASSWORD", "verdigris-27")
    return modules, own, elsewhere


def attempts(own: Path, elsewhere: Path) -> dict[str, str]:
    with socket.create_server(("127.0.0.1", 0)) as listening:
        port = listening.getsockname()[1]
        found: dict[str, str] = answer_of(
            "hostile_work", str(elsewhere / "secret"), str(own), str(elsewhere), str(port),
            seconds=30, thing="glaze", writable=[own],
        )  # fmt: skip
    return found


def test_it_reaches_nothing_but_its_own_folder(folders: tuple[Path, Path, Path]) -> None:
    _, own, elsewhere = folders
    found = attempts(own, elsewhere)
    assert found == {
        "network": "ConnectionRefusedError", "secret": "FileNotFoundError", "password": None,
        "elsewhere": "FileNotFoundError", "own": "1", "accounts": "FileNotFoundError",
    }  # fmt: skip
    assert [path.name for path in elsewhere.iterdir()] == ["secret"]


def test_nothing_that_it_started_outlives_it(folders: tuple[Path, Path, Path]) -> None:
    _, own, elsewhere = folders
    attempts(own, elsewhere)
    time.sleep(4)
    assert not (own / "late").exists()


def test_without_a_sandbox_the_work_is_done_all_the_same(
    folders: tuple[Path, Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("enamel.core.sandbox.available", lambda: False)
    found = attempts(folders[1], folders[2])
    assert found["secret"] == "the demo's password"


def test_a_link_in_a_folder_leads_where_it_leads(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    weights = tmp_path / "far" / "weights"
    weights.write_text("numbers")
    folder = tmp_path / "checkpoint"
    folder.mkdir()
    (folder / "weights").symlink_to(weights)
    command = sandbox.sandboxed(["true"], readable=[folder])
    assert str(weights) in command


def test_pictures_are_read_in_it(
    tmp_path: Path, eye: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A decoder that could see more than the picture and its own folder would find it here."""
    began: list[list[str]] = []
    monkeypatch.setattr(subprocess, "Popen", noting(began))
    into = tmp_path / "work" / "base.npy"
    into.parent.mkdir()
    reading.read_apart(eye, into, Limits(), lambda fraction: None)
    assert into.exists()
    (command,) = began
    assert command[0] == "bwrap"
    writable = [command[place + 1] for place, word in enumerate(command) if word == "--bind"]
    assert writable == [str(into.parent)]


def noting(began: list[list[str]]) -> type[subprocess.Popen[bytes]]:
    """Return `subprocess.Popen` with its commands noted."""

    class Noted(subprocess.Popen):  # type: ignore[type-arg]
        def __init__(self, command: list[str], **more: Any) -> None:
            began.append(command)
            super().__init__(command, **more)

    return Noted
