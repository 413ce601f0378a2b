"""Put jobs back in their queues for rows that are open in the database and have no job."""

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any

from django.db import models, transaction
from django.db.models import QuerySet
from procrastinate.contrib.django.models import ProcrastinateJob


@dataclass(frozen=True, slots=True)
class JobKind:
    """A kind of job that stands for rows of the database.

    Parameters
    ----------
    task, argument : the job's name, and its argument that names the row.
    open_rows : the rows that need a job.
    enqueue : puts a row's job in its queue.
    piece : lookup from a row to its piece, where it works in the piece's folder of finished tiles.
    """

    task: str
    argument: str
    open_rows: Callable[[], QuerySet[Any]]
    enqueue: Callable[[Any], None]
    piece: str = ""


_kinds: dict[str, JobKind] = {}
_checks: list[tuple[str, Callable[[], None]]] = []


def register(kind: JobKind) -> None:
    """Have the rows of a kind of job swept."""
    _kinds[kind.task] = kind


def register_check(queue: str, check: Callable[[], None]) -> None:
    """Have workers of a queue call a function every few seconds."""
    _checks.append((queue, check))


def run_checks(queues: Collection[str]) -> None:
    """Call the functions registered for these queues."""
    for queue, check in _checks:
        if queue in queues:
            check()


def works_on(piece: models.Model) -> bool:
    """Return whether an open job uses the finished tiles of a piece."""
    return any(
        kind.open_rows().filter(**{kind.piece: piece}).exists()
        for kind in _kinds.values()
        if kind.piece
    )


def sweep() -> int:
    """Put the lost jobs of all kinds back in their queues; return how many."""
    return sum(_sweep(kind) for kind in _kinds.values())


def _sweep(kind: JobKind) -> int:
    # rows before jobs, and rows again: a job that ends meanwhile leaves a row that is not open any more
    before = {str(row.pk) for row in kind.open_rows().only("pk")}
    if not before:
        return 0
    jobs = ProcrastinateJob.objects.filter(task_name=kind.task, status__in=["todo", "doing"])
    have = {str(one) for one in jobs.values_list(f"args__{kind.argument}", flat=True)}
    lost = before - have
    taken = 0
    for row in kind.open_rows().filter(pk__in=lost):
        with transaction.atomic():
            kind.enqueue(row)
        taken += 1
    return taken
