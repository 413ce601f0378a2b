"""Submit jobs, stop them and resume them: the same for every kind."""

from collections.abc import Collection

from django.db import IntegrityError, transaction

from enamel.jobs.models import Job
from enamel.jobs.queueing import enqueue


def submit(job: Job) -> None:
    """Save a new job and put it in its queue, in one transaction."""
    with transaction.atomic():
        job.save(force_insert=True)
        enqueue_job(job)


def submit_once(job: Job) -> bool:
    """Submit a new job unless a constraint of its table says that there is one already.

    Returns
    -------
    Whether it was submitted.
    """
    try:
        submit(job)
    except IntegrityError:
        return False
    return True


def enqueue_job(job: Job, seconds: float = 0) -> None:
    """Put a job in its queue.

    Parameters
    ----------
    seconds : seconds before it may begin.
    """
    enqueue(
        job._meta.label_lower, job.QUEUE, priority=job.queue_priority, seconds=seconds,
        job_id=str(job.pk),
    )  # fmt: skip


def stop(job: Job) -> None:
    """Stop a job: after the tile that a worker is at, or at once where none is at it."""
    type(job)._default_manager.filter(pk=job.pk).stop()  # type: ignore[attr-defined]
    job.refresh_from_db()


def resume(job: Job) -> bool:
    """Put a job that was stopped or failed back in its queue; what was finished of it is kept.

    Returns
    -------
    Whether it was stopped or had failed.
    """
    return _submit_again(job, [job.State.STOPPED, job.State.FAILED])


def restart(job: Job) -> bool:
    """Put a job that has ended, in whatever way, back in its queue; return whether it had ended."""
    return _submit_again(job, [job.State.DONE, job.State.STOPPED, job.State.FAILED])


def _submit_again(job: Job, ended: Collection[str]) -> bool:
    with transaction.atomic():
        resumed = job.transition(
            job.State.WAITING, only_from=ended,
            stop_requested=False, error="", attempts=0,
        )  # fmt: skip
        if resumed:
            enqueue_job(job)
    return resumed
