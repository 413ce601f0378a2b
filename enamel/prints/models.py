"""Print files: written by the kiln, kept for a while to be taken away."""

import uuid
from datetime import timedelta

from django.conf import settings as site
from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.jobs.transitions import Transitions

KEPT = timedelta(days=7)
"""For so long a print file can be taken away."""
LEAST_TELLING = 0.04
"""Share of a file from which on the time that it took tells how long it will take."""


class PrintFileQuerySet(models.QuerySet["PrintFile"]):
    def of(self, person: Person) -> "PrintFileQuerySet":
        """Return files of the person's own pieces."""
        return self.filter(layer__piece__owner_id=person.pk, layer__piece__deleted_at=None)

    def open(self) -> "PrintFileQuerySet":
        return self.filter(state__in=[PrintFile.State.WAITING, PrintFile.State.WORKING])

    def outlived(self) -> "PrintFileQuerySet":
        """Return those that were kept long enough."""
        return self.filter(created__lt=timezone.now() - KEPT)


class PrintFile(Transitions):
    """A file that was asked for: waiting, being written, done, or failed with the reason."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        WORKING = "working", "Being written"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"

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
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0, help_text="How much of it is written, 0…1.")
    began = models.DateTimeField(null=True, blank=True, help_text="When it was last begun.")
    tries = models.PositiveIntegerField(
        default=0, help_text="Times that a worker began it and did not end it."
    )
    error = models.TextField(blank=True, help_text="Why it could not be written.")
    note = models.TextField(blank=True, help_text="What there is to say of it once written.")
    file = models.FileField(upload_to="prints/", blank=True)
    order_key = models.UUIDField(
        default=uuid.uuid4,
        help_text="Makes every try to order it the same order, until one is settled for certain.",
    )
    created = models.DateTimeField(default=timezone.now)

    objects = PrintFileQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_state_display()}"

    @property
    def open(self) -> bool:
        return self.state in (self.State.WAITING, self.State.WORKING)

    @property
    def seconds_left(self) -> float | None:
        """How long it will take yet, by what it took so far; None while that says too little."""
        if self.state != self.State.WORKING or self.began is None or self.progress < LEAST_TELLING:
            return None
        passed = (timezone.now() - self.began).total_seconds()
        return passed * (1 - self.progress) / self.progress


class OutputPreset(models.Model):
    """A kind of file kept for reuse, with its name's pattern and whether it lies on the print."""

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
