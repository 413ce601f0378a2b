"""Models: the abstract job, and workers."""

from enamel.jobs.models.jobs import Job, JobQuerySet
from enamel.jobs.models.workers import DEAD_AFTER, LISTED_FOR, Worker, WorkerQuerySet

__all__ = ["DEAD_AFTER", "LISTED_FOR", "Job", "JobQuerySet", "Worker", "WorkerQuerySet"]
