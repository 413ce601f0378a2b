"""Work in a separate process: answers, progress, and what happens when it asks for too much."""

from pathlib import Path

import numpy as np
import pytest

from enamel.core.errors import Refusal
from enamel.core.limited import answer_of
from enamel.core.memory import memory_taken_mb

WORK = """
import sys, time
from enamel.core.errors import Refusal
from enamel.core.limited import answer

def work(arguments, hear):
    if arguments[0] == "refuse":
        raise Refusal("The glaze is dry.")
    if arguments[0] == "loop":
        time.sleep(60)
    if arguments[0] == "greedy":
        bytearray(20 * 2**30)
    hear(0.5)
    print("a library's own words")
    return {"said": arguments}

answer(work, 30)
"""


@pytest.fixture(autouse=True)
def module(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "made_up_work.py").write_text(WORK)
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))


def asked(*arguments: str, seconds: float = 30, received: list[float] | None = None) -> object:
    on_progress = received.append if received is not None else None
    return answer_of(
        "made_up_work", *arguments, seconds=seconds, thing="glaze", on_progress=on_progress
    )


def test_it_answers_and_tells_how_far_it_is() -> None:
    received: list[float] = []
    assert asked("x", "y", received=received) == {"said": ["x", "y"]}
    assert received == [0.5]


def test_a_refusal_comes_through() -> None:
    with pytest.raises(Refusal, match="The glaze is dry"):
        asked("refuse")


def test_what_loops_is_ended() -> None:
    with pytest.raises(Refusal, match="not done with in 1 s"):
        asked("loop", seconds=1)


def test_what_takes_all_memory_breaks_off_alone() -> None:
    with pytest.raises(Refusal, match="lack of memory"):
        asked("greedy")


def test_the_memory_taken_is_that_of_the_run_and_not_hidden_by_what_ran_before() -> None:
    before = np.ones(40_000_000, np.float32)
    del before
    taken = memory_taken_mb(lambda: np.ones(20_000_000, np.float32))
    assert taken == pytest.approx(80, abs=8)
