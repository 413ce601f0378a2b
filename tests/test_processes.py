"""The processes that bin/start leaves running: a dead one is started again."""

import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.kiln.workers import ROOT, wait_for


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
    given = os.environ | {"ENAMEL_VAR": str(var)}
    return subprocess.run(command, cwd=ROOT, env=given, capture_output=True, text=True).stdout


def pids(var: Path) -> dict[str, int]:
    """Numbers of the running processes by name."""
    found = re.findall(r"^(\S+) +RUNNING +pid (\d+)", processes(var, "list"), re.MULTILINE)
    return {name: int(pid) for name, pid in found}


def test_a_dead_process_is_started_again_and_stopping_ends_all(var: Path) -> None:
    processes(var, "start")
    wait_for(lambda: len(pids(var)) == 6, 30, "all six to run")
    before = pids(var)
    kiln = {"kiln-firings", "kiln-swatches", "kiln-chores"}
    assert set(before) == {"web", *kiln, "shop", "bureau"}
    os.kill(before["kiln-firings"], signal.SIGKILL)
    wait_for(
        lambda: pids(var).get("kiln-firings", before["kiln-firings"]) != before["kiln-firings"],
        30, "another worker",
    )  # fmt: skip
    processes(var, "start")
    after = pids(var)
    assert after["web"] == before["web"]
    assert processes(var.parent, "list").startswith("Nothing runs")
