"""Takes up again, for every kind of work, what is open in the database and has no job."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.kiln import queueing
from enamel.kiln.locks import is_locked
from enamel.kiln.models import (
    Arrival,
    Candidate,
    Firing,
    Layer,
    PrintFile,
    SentCoat,
    ShopOrder,
    Swatch,
)


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of work.

    Parameters
    ----------
    task, argument : the job's name, and the argument that names the row.
    rows : those with something to do.
    enqueue : puts a row's job in its queue.
    """

    task: str
    argument: str
    rows: Callable[[], QuerySet[Any]]
    enqueue: Callable[[Any], None]


def _again(firing: Firing) -> None:
    """A firing whose job ended did not die of it; one that is being worked on has only lost its job."""
    locked = Firing.objects.select_for_update().get(pk=firing.pk)
    if not locked.open or is_locked(locked.pk):
        return
    locked.state, locked.broken_off = Firing.State.QUEUED, max(0, locked.broken_off - 1)
    locked.save(update_fields=["state", "broken_off"])
    queueing.enqueue_firing(locked)


KINDS = (
    Kind("fire", "firing_id", lambda: Firing.objects.open(), _again),
    Kind("make_swatch", "swatch_id", lambda: Swatch.objects.open(), queueing.enqueue_swatch),
    Kind("make_candidate", "candidate_id", lambda: Candidate.objects.open(),
         queueing.enqueue_candidate),
    Kind("read_upload", "arrival_id", lambda: Arrival.objects.open(), queueing.enqueue_arrival),
    Kind("write_print", "print_id", lambda: PrintFile.objects.open(), queueing.enqueue_print),
    Kind("send_to_shop", "order_id", lambda: ShopOrder.objects.open(), queueing.enqueue_order),
    Kind("get_sent_coat_on", "sent_id", lambda: SentCoat.objects.open(),
         queueing.enqueue_sent_coat),
    Kind("prepare", "layer_id", lambda: Layer.objects.filter(pyramid=""),
         queueing.enqueue_preparation),
)  # fmt: skip


def sweep() -> int:
    """Put the lost jobs of all kinds of work in their queues again; return how many."""
    return sum(_sweep(kind) for kind in KINDS)


def _sweep(kind: Kind) -> int:
    # rows before jobs, and rows again: a job that ends meanwhile leaves a row that is not open any more
    before = {str(row.pk) for row in kind.rows().only("pk")}
    if not before:
        return 0
    jobs = ProcrastinateJob.objects.filter(
        task_name=f"{queueing.TASKS}{kind.task}", status__in=["todo", "doing"]
    )
    have = {str(one) for one in jobs.values_list(f"args__{kind.argument}", flat=True)}
    lost = before - have
    taken = 0
    for row in kind.rows().filter(pk__in=lost):
        with transaction.atomic():
            kind.enqueue(row)
        taken += 1
    return taken
