"""Requeue jobs that are open in the database but have no entry in a queue."""

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any

from django.db import models, transaction
from django.db.models import QuerySet
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.jobs.locks import is_locked
from enamel.jobs.models import Job
from enamel.jobs.services import enqueue_job


@dataclass(frozen=True, slots=True)
class JobKind:
    """Rows of the database that each need an entry in a queue.

    Parameters
    ----------
    task, argument : the task's name, and its argument that names the row.
    open_rows : the rows that need an entry.
    enqueue : puts a row's entry in its queue.
    """

    task: str
    argument: str
    open_rows: Callable[[], QuerySet[Any]]
    enqueue: Callable[[Any], None]

    @classmethod
    def of(cls, kind: type[Job]) -> "JobKind":
        """Return the kind of a class of jobs."""
        manager: Any = kind._default_manager
        return cls(kind._meta.label_lower, "job_id", manager.open, _requeue)


_kinds: dict[str, JobKind] = {}
_checks: list[tuple[str, Callable[[], None]]] = []


def register(kind: JobKind) -> None:
    """Register a kind whose rows are swept."""
    _kinds[kind.task] = kind


def register_check(queue: str, check: Callable[[], None]) -> None:
    """Register a function that workers of a queue call every few seconds."""
    _checks.append((queue, check))


def run_checks(queues: Collection[str]) -> None:
    """Call the functions registered for these queues."""
    for queue, check in _checks:
        if queue in queues:
            check()


def uses_finished_tiles(piece: models.Model) -> bool:
    """Return whether an open job uses the finished tiles of a piece."""
    kinds = [kind for kind in Job.kinds() if kind.USES_FINISHED_TILES]
    return any(
        kind._default_manager.filter(state__in=kind.OPEN, **{kind.PIECE: piece}).exists()
        for kind in kinds
    )


def sweep() -> int:
    """Put the lost rows of all kinds back in their queues; return how many."""
    return sum(_sweep(kind) for kind in _kinds.values())


def _sweep(kind: JobKind) -> int:
    # rows before entries, and rows again: a job that ends meanwhile leaves a row that is not open any more
    before = {str(row.pk) for row in kind.open_rows().only("pk")}
    if not before:
        return 0
    entries = ProcrastinateJob.objects.filter(task_name=kind.task, status__in=["todo", "doing"])
    have = {str(one) for one in entries.values_list(f"args__{kind.argument}", flat=True)}
    lost = before - have
    taken = 0
    for row in kind.open_rows().filter(pk__in=lost):
        with transaction.atomic():
            kind.enqueue(row)
        taken += 1
    return taken


def _requeue(row: Job) -> None:
    """Put a job back in its queue, unless a worker is carrying it out without an entry."""
    # the row is locked, so that no worker begins it between the check and the requeueing
    job = type(row)._default_manager.select_for_update().filter(pk=row.pk).first()
    if job is not None and job.open and not is_locked(job.lock):
        job.release()  # its entry ended, so it did not break off with a worker that died
        enqueue_job(job)
