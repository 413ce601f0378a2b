"""The processes that bin/start leaves running: a dead one is started again."""

import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import httpx
import pytest

from tests.workers import ROOT, wait_for


@pytest.fixture
def var(tmp_path: Path) -> Iterator[Path]:
    (tmp_path / "run").mkdir()
    (tmp_path / "secrets").mkdir()
    (tmp_path / "secrets" / "bureau").write_text("key")
    for name in ("web", "shop", "bureau"):
        port = subprocess.run(
            [sys.executable, "bin/free_port", "0"],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=True,
        )
        (tmp_path / "run" / f"{name}.port").write_text(port.stdout)
    yield tmp_path
    processes(tmp_path, "stop")
    assert pids(tmp_path) == {}


def processes(var: Path, word: str) -> str:
    command = [sys.executable, "bin/processes", word]
    given = os.environ | {"ENAMEL_VAR": str(var), "ENAMEL_WEB_PROCESSES": "2"}
    return subprocess.run(command, cwd=ROOT, env=given, capture_output=True, text=True).stdout


def pids(var: Path) -> dict[str, int]:
    """Numbers of the running processes by name."""
    found = re.findall(r"^(\S+) +RUNNING +pid (\d+)", processes(var, "list"), re.MULTILINE)
    return {name: int(pid) for name, pid in found}


def answers(var: Path) -> bool:
    """Whether the web server says anything at the port it was given."""
    port = (var / "run" / "web.port").read_text().strip()
    try:
        return httpx.get(f"http://127.0.0.1:{port}/sign-in/", timeout=5).status_code < 500
    except httpx.HTTPError:
        return False


def left_of(var: Path) -> list[str]:
    """Command lines of processes that were started for this folder."""
    mark = f"ENAMEL_VAR={var}".encode()
    found = []
    for folder in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            if mark in (folder / "environ").read_bytes().split(b"\0"):
                found.append((folder / "cmdline").read_bytes().replace(b"\0", b" ").decode())
    return found


ALL = {
    "kiln-firings", "kiln-swatches", "kiln-maintenance", "shop", "bureau", "web:0", "web:1",
    "keeper:0", "keeper:1",
}  # fmt: skip


def test_whatever_is_killed_runs_again_at_the_same_port_and_stopping_ends_all(var: Path) -> None:
    processes(var, "start")
    wait_for(lambda: set(pids(var)) == ALL and answers(var), 40, "all to run")
    before = pids(var)
    victims = [
        [before["kiln-firings"]],
        [before["web:0"], before["web:1"]],
        [before["keeper:0"]],
        [int((var / "run" / "processes.pid").read_text())],
    ]
    for killed in victims:
        for pid in killed:
            os.kill(pid, signal.SIGKILL)
        wait_for(
            lambda killed=killed: (  # type: ignore[misc]
                set(pids(var)) == ALL and not set(killed) & set(pids(var).values()) and answers(var)
            ),
            30, "a clean restart",
        )  # fmt: skip
    again = pids(var)
    processes(var, "start")
    assert pids(var) == again
    os.kill(int((var / "run" / "processes.pid").read_text()), signal.SIGKILL)
    processes(var, "stop")
    wait_for(lambda: left_of(var) == [], 10, f"nothing to be left of {left_of(var)}")
    assert processes(var, "list").startswith("Nothing runs")
