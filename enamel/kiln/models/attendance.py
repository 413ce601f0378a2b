"""Which queues are served: workers say so every few seconds, and pages can tell when nobody does."""

from collections.abc import Iterable
from datetime import timedelta

from django.db import models
from django.utils import timezone

SILENT = timedelta(seconds=30)
"""Nobody has been heard for so long: nobody is there."""


class AttendanceQuerySet(models.QuerySet["Attendance"]):
    def note(self, queues: Iterable[str]) -> None:
        """A living worker serves these queues now."""
        for queue in queues:
            self.update_or_create(queue=queue, defaults={"seen": timezone.now()})

    def served(self, queue: str) -> bool:
        """Whether a worker that serves the queue is alive."""
        return self.filter(queue=queue, seen__gt=timezone.now() - SILENT).exists()


class Attendance(models.Model):
    """When a worker was last heard of at a queue."""

    queue = models.CharField(max_length=20, unique=True)
    seen = models.DateTimeField()

    objects = AttendanceQuerySet.as_manager()

    def __str__(self) -> str:
        return f"{self.queue}: {self.seen}"
