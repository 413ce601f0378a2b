"""Print files, written by the kiln and kept for a while, and their presets."""

import uuid
from datetime import timedelta
from typing import ClassVar

from django.conf import settings as site
from django.db import models
from django.utils import timezone

from enamel.jobs.models import Job, JobQuerySet

KEPT = timedelta(days=7)
"""How long a print file is kept."""
LEAST_TELLING = 0.04
"""Least progress from which the time so far predicts the rest."""


class PrintFileQuerySet(JobQuerySet["PrintFile"]):
    def expired(self) -> "PrintFileQuerySet":
        """Return those whose time has passed."""
        return self.filter(created__lt=timezone.now() - KEPT)


class PrintFile(Job):
    """A file of a layer, for printing or for the screen."""

    LABEL = "Writing a print file"
    STATE_LABELS: ClassVar = {Job.State.RUNNING: "Being written"}
    PIECE = "layer__piece"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    layer = models.ForeignKey("library.Layer", models.CASCADE, related_name="print_files")
    settings = models.JSONField(
        help_text="Format, bits, resolution, and the print if it lies on one."
    )
    strip = models.JSONField(
        null=True, blank=True, help_text="What is on it, where it is a test strip."
    )
    name = models.CharField(max_length=255, help_text="Of the file.")
    width = models.PositiveIntegerField(help_text="Of the file, in px.")
    height = models.PositiveIntegerField()
    note = models.TextField(blank=True, help_text="What there is to say of it once written.")
    file = models.FileField(upload_to="prints/", blank=True)
    order_key = models.UUIDField(
        default=uuid.uuid4,
        help_text="Makes every try to order it the same order, until one is settled for certain.",
    )

    objects = PrintFileQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.name}: {self.state_label}"

    @property
    def subject(self) -> str:
        return self.name

    @property
    def url(self) -> str:
        return f"{self.layer.piece.get_absolute_url()}?layer={self.layer_id}&task=file"

    @property
    def seconds_left(self) -> float | None:
        """Seconds until it is done, from the time so far; None while that says too little."""
        if (
            self.state != self.State.RUNNING
            or self.started is None
            or self.progress < LEAST_TELLING
        ):
            return None
        passed = (timezone.now() - self.started).total_seconds()
        return passed * (1 - self.progress) / self.progress


class OutputPreset(models.Model):
    """Settings of print files saved for reuse, with the pattern of their names and whether they follow
    the print.
    """

    owner = models.ForeignKey(site.AUTH_USER_MODEL, models.CASCADE, related_name="outputs")
    name = models.CharField(max_length=80)
    form = models.JSONField(help_text="Fields of the form of print files.")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_output_preset_per_name"),
        ]

    def __str__(self) -> str:
        return self.name
