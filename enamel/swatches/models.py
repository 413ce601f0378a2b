"""Swatches, and the sheets they belong to."""

import uuid
from typing import Any

from django.db import models
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.geometry import Box, Size
from enamel.core.pipeline.sheets import Axis
from enamel.core.schedule import Schedule
from enamel.jobs.models import Job, JobQuerySet
from enamel.jobs.queueing import SWATCHES
from enamel.library.models.layers import Layer


class SwatchSheetQuerySet(models.QuerySet["SwatchSheet"]):
    def of(self, person: Person) -> "SwatchSheetQuerySet":
        """Return sheets of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class SwatchSheet(models.Model):
    """Trials of one coat on one window, over up to two varied settings."""

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
        """Size of the coat's result."""
        return self.as_schedule().sizes(self.start.size)[-1]

    @property
    def columns(self) -> int:
        return len(self.axes[0]["values"]) if self.axes else 1


class SwatchQuerySet(JobQuerySet["Swatch"]):
    """Swatches."""

    def same_as(self, swatch: "Swatch") -> "Swatch | None":
        """Return a finished swatch of the piece with the same pixels, if there is one."""
        done = self.filter(state=Swatch.State.DONE, sheet__piece=swatch.sheet.piece_id)
        return done.filter(content_key=swatch.content_key).exclude(pk=swatch.pk).first()


class Swatch(Job):
    """One trial: settings, and the pixels that a firing with them gives in the window."""

    QUEUE = SWATCHES
    LABEL = "Making swatches"
    PIECE = "sheet__piece"
    GROUP = "sheet"
    USES_FINISHED_TILES = True
    AFTER_CRASHES = "Choose smaller tiles or a smaller window."

    class Verdict(models.TextChoices):
        FAVOURITE = "favourite", "Favourite"
        REJECT = "reject", "Reject"

    sheet = models.ForeignKey(SwatchSheet, models.CASCADE, related_name="swatches")
    row = models.PositiveIntegerField()
    column = models.PositiveIntegerField()
    place = models.PositiveIntegerField(default=0, help_text="As which of its sheet it is made.")
    label = models.CharField(max_length=300, blank=True)
    coat = models.JSONField(help_text="The tried coat, every setting spelt out.")
    content_key = models.CharField(
        max_length=64, help_text="Hash of all that determines the pixels."
    )
    verdict = models.CharField(max_length=10, choices=Verdict.choices, blank=True)
    pixels = models.FileField(upload_to="swatches/", blank=True, help_text="16-bit sRGB canvas.")
    sha256 = models.CharField(max_length=64, blank=True)
    model_seconds = models.FloatField(null=True, blank=True)
    shared = models.PositiveIntegerField(default=0, help_text="Tiles taken from earlier runs.")
    measures = models.JSONField(default=dict)
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

    def results(self) -> dict[str, Any]:
        """Return the results that another swatch of the same pixels copies instead of being made."""
        taken = {"pixels": self.pixels.name, "sha256": self.sha256, "measures": self.measures}
        return taken | {"seconds": 0.0, "model_seconds": 0.0}

    @property
    def queue_priority(self) -> int:
        # the first swatch of every sheet comes first, so that no sheet waits for all of another
        return -self.place

    @property
    def url(self) -> str:
        return reverse("sheet", args=[self.sheet_id])
