"""A kiln of its own process, working on the tests' database and folders."""

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

from enamel.jobs.models import Worker

ROOT = Path(__file__).parents[1]


def worker(*queues: str, **environment: str) -> "subprocess.Popen[bytes]":
    known = {
        "ENAMEL_DB_NAME": connection.settings_dict["NAME"],
        "ENAMEL_MEDIA": str(settings.MEDIA_ROOT),
        "ENAMEL_WORK": str(settings.KILN_WORK),
    }
    command = [sys.executable, "manage.py", "kiln", *queues]
    return subprocess.Popen(command, cwd=ROOT, env=os.environ | known | environment)


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
