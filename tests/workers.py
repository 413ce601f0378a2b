"""A kiln in a separate process, working on the tests' database and folders."""

import os
import subprocess
import sys
import time
import uuid
from collections.abc import Callable
from pathlib import Path

import pytest
from django.conf import settings
from django.db import connection

from enamel.jobs.models import Job, Worker
from enamel.jobs.running import carry_out, run_once

__all__ = [
    "carry_out",
    "lose_entries",
    "queue_is_empty",
    "record_heartbeat",
    "take_turn",
    "wait_for",
    "worker",
]

ROOT = Path(__file__).parents[1]


def worker(*queues: str, **environment: str) -> "subprocess.Popen[bytes]":
    known = {
        "ENAMEL_DB_NAME": connection.settings_dict["NAME"],
        "ENAMEL_MEDIA": str(settings.MEDIA_ROOT),
        "ENAMEL_WORK": str(settings.KILN_WORK),
    }
    command = [sys.executable, "-m", "tests.kiln", *queues]
    return subprocess.Popen(command, cwd=ROOT, env=os.environ | known | environment)


def take_turn(job: Job) -> float | None:
    """Carry a job out, or take it a step further; return in how many seconds it wants to be carried on."""
    return run_once(job).pause


def lose_entries() -> None:
    """Empty the queues, as when they give a dead worker's entries up."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_events")
        cursor.execute("DELETE FROM procrastinate_jobs")


def queue_is_empty() -> bool:
    """Whether no entry of the queues is due or being worked on."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT EXISTS (SELECT FROM procrastinate_jobs WHERE status = 'doing'"
            " OR status = 'todo' AND coalesce(scheduled_at, now()) <= now())"
        )
        (busy,) = cursor.fetchone()
    return not busy


def record_heartbeat(*queues: str) -> None:
    """Record a heartbeat of a worker that serves these queues."""
    Worker.objects.record_heartbeat(uuid.uuid4(), "tower", 4711, queues)


def wait_for(condition: Callable[[], bool], seconds: float, what: str) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return
        time.sleep(0.05)
    pytest.fail(f"waited {seconds} s for {what}")
