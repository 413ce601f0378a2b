"""Put jobs in their queues, in the transaction that writes the row they are for.

Jobs are named, so that what submits work need not import what carries it out.
"""

import math
from contextlib import suppress
from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

FIRINGS = "firings"
SWATCHES = "swatches"
MAINTENANCE = "maintenance"
"""The queue of uploads, print files, checks and orders, so that they wait neither for firings nor for
swatches.
"""
QUEUES = (FIRINGS, SWATCHES, MAINTENANCE)


def enqueue(
    task: str, queue: str, *, priority: int = 0, seconds: float = 0, **arguments: Any
) -> None:
    """Put a job in a queue.

    Parameters
    ----------
    task : name of the job, ``app.function``.
    priority : jobs of higher priority are taken first.
    seconds : the job waits at least this long.
    """
    wait = {"seconds": math.ceil(seconds)} if seconds else None
    job = app.configure_task(task, queue=queue, priority=priority, schedule_in=wait)
    job.defer(**arguments)


def enqueue_once(task: str, queue: str, once: str, **arguments: Any) -> None:
    """Put a job in a queue unless another with the same ``once`` waits there."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(task, queue=queue, queueing_lock=once).defer(**arguments)
