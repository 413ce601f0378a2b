"""Declare the tasks that workers carry out. Each app declares its own in its module ``jobs``."""

from collections.abc import Callable
from typing import Any

from django.db import InterfaceError, OperationalError
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import JobAborted

from enamel.jobs import heartbeats
from enamel.jobs.locks import Busy
from enamel.storage.disk import OutOfRoom

RETRY_SECONDS = 5
RETRY = RetryStrategy(
    wait=RETRY_SECONDS,
    retry_exceptions={Busy, JobAborted, OutOfRoom, OperationalError, InterfaceError},
)
"""Temporary: another worker has it, this worker closes, the disk is full, the database is away."""


def declare(function: Callable[..., None], name: str, queue: str, **options: Any) -> Any:
    """Return a function as a task of a queue."""
    declared: Any = app.task(queue=queue, name=name, retry=RETRY, **options)
    return declared(function)


def task(queue: str, label: str = "", **options: Any) -> Callable[[Callable[..., None]], Any]:
    """Declare a function as a task named ``app.function``. Jobs with a row are declared by `carries_out`.

    Parameters
    ----------
    label : what the kiln's page shows beside the worker while the task runs.
    """

    def decorate(function: Callable[..., None]) -> Any:
        name = f"{function.__module__.split('.')[1]}.{function.__name__}"
        shown = heartbeats.shown_as(label)(function) if label else function
        return declare(shown, name, queue, **options)

    return decorate
