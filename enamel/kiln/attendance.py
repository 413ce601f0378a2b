"""This process as a worker of the kiln: what it tells of itself.

In a process that is no worker, as that of a test or of the command line, nothing is told.
"""

import os
import socket
import uuid
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import wraps
from typing import ParamSpec, TypeVar

from django.utils import timezone

from enamel.kiln.models import Firing, Worker
from enamel.kiln.models.workers import WorkerQuerySet

P = ParamSpec("P")
R = TypeVar("R")
_own: uuid.UUID | None = None


def hear(queues: Iterable[str]) -> None:
    """This worker lives."""
    global _own
    _own = _own or uuid.uuid4()
    Worker.objects.heard(_own, socket.gethostname(), os.getpid(), queues)


def leave() -> None:
    """This worker ends in good order: it is not listed any more."""
    _me().delete()


@contextmanager
def doing(words: str, firing: Firing | None = None) -> Iterator[None]:
    """What this worker is at meanwhile."""
    _me().update(doing=words[:120], firing=firing, since=timezone.now())
    try:
        yield
    finally:
        _me().update(doing="", firing=None, since=None)


def at(words: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """For a job: what its worker is at while it runs."""

    def telling(job: Callable[P, R]) -> Callable[P, R]:
        @wraps(job)
        def told(*arguments: P.args, **named: P.kwargs) -> R:
            with doing(words):
                return job(*arguments, **named)

        return told

    return telling


def fast(megapixels: float, seconds: float) -> None:
    """How fast this worker's networks were."""
    if seconds > 0:
        _me().update(rate=megapixels / seconds)


def _me() -> WorkerQuerySet:
    return Worker.objects.filter(pk=_own) if _own else Worker.objects.none()
