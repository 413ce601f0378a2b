"""The kiln's workers. Each sends a heartbeat every few seconds, with the queues it serves and its task."""

import uuid
from collections.abc import Iterable
from datetime import timedelta

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from django.utils import timezone

DEAD_AFTER = timedelta(seconds=30)
"""A worker whose last heartbeat is older counts as dead."""
LISTED_FOR = timedelta(days=1)
"""How long a dead worker stays listed when no other has replaced it."""


class WorkerQuerySet(models.QuerySet["Worker"]):
    def alive(self) -> "WorkerQuerySet":
        return self.filter(seen__gt=timezone.now() - DEAD_AFTER)

    def serving(self, queue: str) -> "WorkerQuerySet":
        """Return those alive that serve the queue."""
        return self.alive().filter(queues__contains=[queue])

    def served(self, queue: str) -> bool:
        """Return whether a worker that serves the queue is alive."""
        return self.serving(queue).exists()

    def record_heartbeat(
        self, worker_id: uuid.UUID, host: str, process: int, queues: Iterable[str]
    ) -> None:
        """Record that a worker is running now.

        Dead workers are deleted from the list a day after their last heartbeat, or as soon as another on
        their machine serves the same queues.
        """
        now = timezone.now()
        facts = {"host": host, "process": process, "queues": list(queues), "seen": now}
        self.update_or_create(pk=worker_id, defaults=facts)
        replaced = Q(seen__lt=now - DEAD_AFTER, host=host, queues=facts["queues"])
        self.filter(replaced | Q(seen__lt=now - LISTED_FOR)).delete()


class Worker(models.Model):
    """A process that takes jobs from queues."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    host = models.CharField(max_length=100, help_text="Name of its machine.")
    process = models.PositiveIntegerField(help_text="Its number there.")
    queues = ArrayField(models.CharField(max_length=20))
    began = models.DateTimeField(default=timezone.now)
    seen = models.DateTimeField()
    doing = models.CharField(max_length=120, blank=True, help_text="What it is at, in words.")
    since = models.DateTimeField(null=True, blank=True, help_text="When it began that.")
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The artist whose work it is doing.",
    )  # fmt: skip
    subject = models.CharField(max_length=200, blank=True, help_text="The piece it is working on.")
    rate = models.FloatField(
        null=True, blank=True, help_text="Megapixels that its networks saw a second, last."
    )

    objects = WorkerQuerySet.as_manager()

    class Meta:
        ordering = ["host", "began"]

    def __str__(self) -> str:
        return f"{self.host}, {self.process}: {', '.join(self.queues)}"

    @property
    def alive(self) -> bool:
        return self.seen > timezone.now() - DEAD_AFTER
