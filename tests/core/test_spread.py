"""Work spread over the processes of a cluster, one of which dies."""

import os
import signal
from collections.abc import Iterator
from pathlib import Path
from threading import Timer
from typing import Any

import pytest

from enamel.core.errors import Refusal
from enamel.core.pipeline.firing import fire
from enamel.core.progress import Progress
from enamel.core.schedule import Mode
from enamel.core.tiling.spread import CLUSTER
from tests.core.conftest import MODES
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import coat

distributed = pytest.importorskip("distributed")


@pytest.fixture
def cluster() -> Iterator[Any]:
    with distributed.LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None,
        silence_logs="CRITICAL",
    ) as running:  # fmt: skip
        yield running


@pytest.mark.parametrize("mode", MODES)
def test_two_workers_one_killed_midway_the_same_bytes(
    cluster: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, mode: Mode
) -> None:
    schedule = coat(mode=mode, steps=4, tile=(64, 64), overlap=16)
    alone = whole(fire(portrait(), schedule, tmp_path / "alone").result)
    monkeypatch.setenv(CLUSTER, cluster.scheduler_address)
    with distributed.Client(cluster) as client:
        (victim, *_) = client.run(os.getpid).values()
    killed: list[int] = []

    def kill_once(progress: Progress) -> None:
        if not killed:
            killed.append(victim)
            Timer(0.05, os.kill, (victim, signal.SIGKILL)).start()

    spread = fire(portrait(), schedule, tmp_path / "spread", on_progress=kill_once)
    assert killed
    assert_same_pixels(whole(spread.result), alone)


def test_a_cluster_that_does_not_answer_is_reported(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(CLUSTER, "tcp://127.0.0.1:9")
    with pytest.raises(Refusal, match=r"127\.0\.0\.1:9 does not answer"):
        fire(portrait(), coat(), tmp_path)
