"""Carry out jobs, in workers: begin, work, and end or release each, the same for every kind."""

import socket
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from procrastinate import JobContext
from procrastinate.exceptions import JobAborted

from enamel.core.errors import Stopped
from enamel.jobs import heartbeats, sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.locks import Busy, advisory_lock
from enamel.jobs.models import Job
from enamel.jobs.services import enqueue_job
from enamel.jobs.tasks import declare
from enamel.storage.disk import OutOfRoom, require_some_room

J = TypeVar("J", bound=Job)
Stopping = Callable[[], bool]
Work = Callable[[Any, Stopping], float | None]


@dataclass(frozen=True, slots=True)
class _Kind:
    """How jobs of a kind are carried out, and what is done once one has ended."""

    work: Work
    clean_up: Callable[[Any], None]


_kinds: dict[type[Job], _Kind] = {}


def carries_out(
    kind: type[J], clean_up: Callable[[J], None] = lambda job: None
) -> Callable[[Callable[[J, Stopping], float | None]], Callable[[J, Stopping], float | None]]:
    """Declare a function as what carries out jobs of a kind.

    The function ends the job by `Job.finish`. It raises `Stopped` where ``stopping()`` is true, `Busy`
    where another worker computes the same, and any other exception with the sentence for the artist. It
    returns None, or in how many seconds the job wants to be carried on.

    Parameters
    ----------
    clean_up : called with a job that has ended, in whatever way, or was deleted meanwhile.
    """

    def decorate(
        work: Callable[[J, Stopping], float | None],
    ) -> Callable[[J, Stopping], float | None]:
        def run(context: JobContext, job_id: str) -> None:
            job = kind._default_manager.filter(pk=job_id).first()
            if job is not None and not carry_out(job, context.should_abort):
                raise JobAborted

        name = kind._meta.label_lower
        declare(run, name, kind.QUEUE, pass_context=True)
        sweeper.register(sweeper.JobKind.of(kind))
        _kinds[kind] = _Kind(work, clean_up)
        return work

    return decorate


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a run of a job ended."""

    ended: bool
    """False where it was left unfinished because the worker closes."""
    pause: float | None = None
    """In how many seconds the job wants to be carried on, if it does."""


def carry_out(job: Job, closing: Stopping = lambda: False) -> bool:
    """Carry out a job, or what is left of it. Safe to repeat.

    Parameters
    ----------
    closing : whether this worker is asked to close; the job is released then.

    Returns
    -------
    False when it was left unfinished because the worker closes.

    Raises
    ------
    Busy
        When another worker is at it, computes the same, or something else goes first.
    OutOfRoom
        When the disk is full. The job waits until there is room.
    """
    outcome = run_once(job, closing)
    if outcome.pause is not None:
        enqueue_job(job, outcome.pause)
    return outcome.ended


def run_once(job: Job, closing: Stopping = lambda: False) -> Outcome:
    """Carry out a job as `carry_out` does, but leave it to the caller to have it carried on."""
    kind = _kinds[type(job)]
    with advisory_lock(job.lock):
        if not job.may_begin():
            raise Busy
        if not job.begin(socket.gethostname()):
            return Outcome(ended=True)
        job.refresh_from_db()
        pause = None
        try:
            pause = _work(job, kind.work, closing)
        except Stopped:
            if closing():
                job.release()
                return Outcome(ended=False)
            job.mark_stopped()
        except Busy:
            job.release()
            raise
        except Exception as error:
            _fail(job, error)
        if pause is None:
            kind.clean_up(job)
    return Outcome(ended=True, pause=pause)


def _work(job: Job, work: Work, closing: Stopping) -> float | None:
    if job.attempts > job.MOST_ATTEMPTS:
        job.fail(
            f"The worker died {job.MOST_ATTEMPTS} times during this, most likely for lack of memory. "
            f"{job.AFTER_CRASHES}".strip()
        )
        return None
    wanted = type(job)._default_manager.filter(pk=job.pk, stop_requested=False)

    def stopping() -> bool:
        return closing() or not wanted.exists()  # deleted jobs stop, too

    if stopping():
        raise Stopped
    if job.NEEDS_ROOM:
        require_some_room()
    with heartbeats.working_on(job.LABEL, job.artist_id, job.subject):
        pause = work(job, stopping)
    if pause is None:
        # changes nothing where the work has ended the job, as it should
        job.fail("This ended without a result, which is a fault in Enamel.")
    return pause


def _fail(job: Job, error: Exception) -> None:
    """End a job with the sentence for an error, or let it wait where the disk is full."""
    try:
        words = describe_error(error, f"{job._meta.verbose_name} {job.pk}")
    except OutOfRoom as full:
        job.release(str(full))
        raise
    job.fail(words)
