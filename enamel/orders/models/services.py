"""Last answers of external services, so that no page has to wait for them."""

from datetime import timedelta

from django.db import models
from django.utils import timezone

OLD = timedelta(minutes=1)
"""Age from which an answer is refreshed when a page shows it."""


class ServiceAnswer(models.Model):
    """The last answer of a service to one request, and its time."""

    question = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=300, help_text="Whom it was asked.")
    answer = models.JSONField(null=True)
    answered = models.DateTimeField(null=True, blank=True, help_text="When the answer came.")
    asked = models.DateTimeField(default=timezone.now, help_text="When it was last asked.")
    error = models.CharField(
        max_length=400, blank=True, help_text="Why the last time brought no answer."
    )

    def __str__(self) -> str:
        return f"{self.question}, asked {self.asked:%Y-%m-%d %H:%M}"

    @property
    def old(self) -> bool:
        """Whether it should be refreshed."""
        return timezone.now() - self.asked > OLD
