"""The abstract order at an external service."""

from django.db import models
from django.utils import timezone

from enamel.jobs.models import Job
from enamel.orders.clients.client import pause_after


class Order(Job):
    """An order at an external service: a job of many short turns, with a pause after each.

    Its states say where it is at the service, so beginning a turn changes nothing, and a turn that is cut
    off leaves it where it was.
    """

    NEEDS_ROOM = False

    number = models.CharField(max_length=60, blank=True, help_text="What the service calls it.")
    uncertain = models.BooleanField(
        default=False, help_text="It was placed and no answer came, so the service may have it."
    )
    moved = models.DateTimeField(default=timezone.now, help_text="When it last got on.")
    news = models.CharField(max_length=300, blank=True, help_text="What is waited for.")

    class Meta:
        abstract = True

    def begin(self, host: str) -> bool:
        return self.record(host=host)

    def wait(self, news: str, pause: float) -> float:
        """Store what the order waits for; return the pause, which grows the longer nothing has changed."""
        self.record(news=news[:300])
        return max(pause, pause_after((timezone.now() - self.moved).total_seconds()))
