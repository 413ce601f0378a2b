"""Swatches: trials of a coat on a window, and the sheets they stand on."""

import uuid
from typing import Any

from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.geometry import Box, Size
from enamel.core.pipeline.sheets import Axis
from enamel.core.schedule import Schedule
from enamel.library.models.layers import Layer


class SwatchSheetQuerySet(models.QuerySet["SwatchSheet"]):
    def of(self, person: Person) -> "SwatchSheetQuerySet":
        """Return sheets of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class SwatchSheet(models.Model):
    """Trials of one coat on one window, over at most two varied settings."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("library.Piece", models.CASCADE, related_name="sheets")
    start = models.ForeignKey(
        Layer, models.CASCADE, related_name="+", help_text="What the schedule begins on."
    )
    schedule = models.JSONField(
        help_text="The coats up to the one that is tried, which is the last."
    )
    coat = models.PositiveIntegerField(default=0, help_text="Its place in the piece's schedule.")
    window = models.JSONField(help_text="Left, top, width, height in px of the coat's result.")
    axes = models.JSONField(default=list, help_text="Varied settings with their values.")
    predicted_seconds = models.FloatField(default=0)
    stopped = models.BooleanField(default=False)
    pinned = models.BooleanField(default=False)
    created = models.DateTimeField(default=timezone.now)

    objects = SwatchSheetQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"sheet of {self.piece}, {self.box}"

    @property
    def box(self) -> Box:
        return Box(*self.window)

    @property
    def varied(self) -> list[Axis]:
        return [Axis(axis["name"], tuple(axis["values"])) for axis in self.axes]

    def as_schedule(self) -> Schedule:
        return Schedule.from_json(self.schedule)

    @property
    def size(self) -> Size:
        """Size of the tried coat's result."""
        return self.as_schedule().sizes(self.start.size)[-1]

    @property
    def columns(self) -> int:
        return len(self.axes[0]["values"]) if self.axes else 1


class SwatchQuerySet(models.QuerySet["Swatch"]):
    def open(self) -> "SwatchQuerySet":
        """Waiting or running."""
        return self.filter(state__in=[Swatch.State.QUEUED, Swatch.State.RUNNING])


class Swatch(models.Model):
    """One trial: settings, and the pixels that a firing with them gives in the window."""

    class State(models.TextChoices):
        QUEUED = "queued", "Waiting"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        STOPPED = "stopped", "Stopped"

    class Verdict(models.TextChoices):
        FAVOURITE = "favourite", "Favourite"
        REJECT = "reject", "Reject"

    sheet = models.ForeignKey(SwatchSheet, models.CASCADE, related_name="swatches")
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    label = models.CharField(max_length=300, blank=True)
    coat = models.JSONField(help_text="The tried coat, every setting spelt out.")
    content_key = models.CharField(
        max_length=64, help_text="Hash of all that determines the pixels."
    )
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    error = models.TextField(blank=True)
    verdict = models.CharField(max_length=10, choices=Verdict.choices, blank=True)
    pixels = models.FileField(upload_to="swatches/", blank=True, help_text="16-bit sRGB canvas.")
    sha256 = models.CharField(max_length=64, blank=True)
    seconds = models.FloatField(null=True, blank=True)
    model_seconds = models.FloatField(null=True, blank=True)
    shared = models.PositiveIntegerField(default=0, help_text="Tiles taken from earlier runs.")
    measures = models.JSONField(default=dict)
    tries = models.PositiveIntegerField(
        default=0, help_text="Times that it was begun and not given back in good order."
    )
    tiles_done = models.PositiveIntegerField(default=0)
    so_far = models.BinaryField(null=True, help_text="WebP of the window while it is made.")

    objects = SwatchQuerySet.as_manager()

    class Meta:
        ordering = ["row", "column"]
        verbose_name_plural = "swatches"

    def __str__(self) -> str:
        return f"swatch {self.label}"

    @property
    def refine(self) -> dict[str, Any] | None:
        refine: dict[str, Any] | None = self.coat.get("refine")
        return refine

    @property
    def open(self) -> bool:
        return self.state in (self.State.QUEUED, self.State.RUNNING)
