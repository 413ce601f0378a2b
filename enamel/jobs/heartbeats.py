"""Record what this process does as a worker of the kiln.

In a process that is no worker, such as a test's or the command line's, nothing is recorded.
"""

import os
import socket
import uuid
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import ParamSpec, TypeVar

from django.utils import timezone

from enamel.jobs.models import Worker, WorkerQuerySet

P = ParamSpec("P")
R = TypeVar("R")
_worker_id: uuid.UUID | None = None


def send_heartbeat(queues: Iterable[str]) -> None:
    """Record that this worker is running."""
    global _worker_id
    _worker_id = _worker_id or uuid.uuid4()
    Worker.objects.record_heartbeat(_worker_id, socket.gethostname(), os.getpid(), queues)


def sign_off() -> None:
    """Delete this worker from the list: it ends normally."""
    _this_worker().delete()


@contextmanager
def working_on(task: str, owner_id: int | None = None, subject: str = "") -> Iterator[None]:
    """Show the task beside this worker while the block runs.

    Parameters
    ----------
    owner_id, subject : the artist whose work it is, and what the task is done to; only this artist is
        shown the subject.
    """
    now = {"doing": task[:120], "owner_id": owner_id, "subject": subject[:200]}
    _this_worker().update(**now, since=timezone.now())
    try:
        yield
    finally:
        _this_worker().update(doing="", owner_id=None, subject="", since=None)


def shown_as(task: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Decorate a job so that the task is shown beside its worker while it runs."""

    def decorate(job: Callable[P, R]) -> Callable[P, R]:
        @wraps(job)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            with working_on(task):
                return job(*arguments, **named)

        return run

    return decorate


def record_speed(megapixels: float, seconds: float) -> None:
    """Record how fast the networks of this worker were."""
    if seconds > 0:
        _this_worker().update(rate=megapixels / seconds)


def _this_worker() -> WorkerQuerySet:
    return Worker.objects.filter(pk=_worker_id) if _worker_id else Worker.objects.none()
