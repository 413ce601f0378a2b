"""Putting jobs in the queues: called in the transaction that writes the row they are for.

Knows jobs by name only, so that what submits work need not know what carries it out.
"""

import math
from contextlib import suppress
from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from enamel.kiln.models import (
    Arrival,
    Candidate,
    Firing,
    Layer,
    Model,
    PrintFile,
    SentCoat,
    ShopOrder,
    Swatch,
)

FIRINGS = "firings"
SWATCHES = "swatches"
CHORES = "chores"
TASKS = "enamel.kiln.tasks."


def enqueue(task: str, queue: str, *, priority: int = 0, seconds: float = 0, lock: str | None = None,
            **arguments: Any) -> None:  # fmt: skip
    """Put a job in a queue.

    Parameters
    ----------
    task : name of the function in `enamel.kiln.tasks`.
    priority : higher ones are taken first.
    seconds : how long it waits at least.
    lock : only one job of this lock runs at a time.
    """
    wait = {"seconds": math.ceil(seconds)} if seconds else None
    job = app.configure_task(
        f"{TASKS}{task}", queue=queue, priority=priority, lock=lock, schedule_in=wait
    )
    job.defer(**arguments)


def enqueue_once(task: str, queue: str, once: str, **arguments: Any) -> None:
    """Put a job in a queue unless one that is called ``once`` waits there already."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(f"{TASKS}{task}", queue=queue, queueing_lock=once).defer(**arguments)


def enqueue_firing(firing: Firing) -> None:
    enqueue("fire", FIRINGS, priority=firing.priority, firing_id=str(firing.pk))


def enqueue_swatch(swatch: Swatch, place: int = 0) -> None:
    """The first of every sheet come first, so that no sheet waits for all of another."""
    enqueue("make_swatch", SWATCHES, priority=-place, swatch_id=swatch.pk)


def enqueue_candidate(candidate: Candidate) -> None:
    """The first of every place comes before the second of any."""
    enqueue("make_candidate", SWATCHES, priority=-candidate.number, candidate_id=candidate.pk)


def enqueue_arrival(arrival: Arrival) -> None:
    """Have a file that was sent read, or tried."""
    enqueue("read_upload", CHORES, arrival_id=str(arrival.pk))


def enqueue_preparation(layer: Layer) -> None:
    """Have a layer made ready to be looked at."""
    enqueue("prepare", CHORES, layer_id=str(layer.pk))


def enqueue_checks(layer: Layer) -> None:
    """Have a layer checked against its base, once."""
    enqueue_once("check", CHORES, f"check {layer.pk}", layer_id=str(layer.pk))


def enqueue_print(made: PrintFile) -> None:
    """Have a print file written."""
    enqueue("write_print", CHORES, print_id=str(made.pk))


def enqueue_publishing(made: PrintFile) -> None:
    """Have a written file copied into the workshop's folder."""
    enqueue("publish", CHORES, print_id=str(made.pk))


def enqueue_order(order: ShopOrder, seconds: float = 0) -> None:
    """Have a print file sent to the shop, or its order carried on."""
    enqueue(
        "send_to_shop", CHORES, seconds=seconds, lock=f"shop {order.pk}", order_id=str(order.pk)
    )


def enqueue_sent_coat(sent: SentCoat, seconds: float = 0) -> None:
    """Have a coat at the bureau carried on; the lock keeps two workers from the same one."""
    enqueue(
        "get_sent_coat_on", CHORES, seconds=seconds, lock=f"bureau {sent.pk}", sent_id=str(sent.pk)
    )


def enqueue_question(question: str) -> None:
    """Have a service outside asked, once."""
    enqueue_once("ask_service", CHORES, f"ask {question}", question=question)


def enqueue_trials() -> None:
    """Have every model tried that was not yet, or whose file has changed."""
    for model in Model.objects.available():
        if not model.tried:
            enqueue_once("try_model", CHORES, f"try {model.name}", name=model.name)
