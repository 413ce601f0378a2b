"""Finish presets."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.core.finishing.recipe import Finish


class FinishPreset(models.Model):
    """A finish saved for other pieces."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="finishes")
    name = models.CharField(max_length=80)
    recipe = models.JSONField()
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_finish_preset_per_name"),
        ]

    def __str__(self) -> str:
        return self.name

    def as_finish(self) -> Finish:
        return Finish.from_json(self.recipe)
