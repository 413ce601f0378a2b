"""Schedule presets."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.core.schedule import Schedule


class SchedulePreset(models.Model):
    """A schedule kept for reuse on other pieces."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="schedules")
    name = models.CharField(max_length=80)
    summary = models.CharField(max_length=200, blank=True, help_text="When it is the one to take.")
    schedule = models.JSONField()
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_schedule_preset_per_name"),
        ]

    def __str__(self) -> str:
        return self.name

    def as_schedule(self) -> Schedule:
        return Schedule.from_json(self.schedule)
