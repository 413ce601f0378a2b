"""Batches: many pictures go through the same treatment, unattended."""

import uuid
from functools import cached_property

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.pipeline.treatment import Treatment
from enamel.firings.models.firings import Firing
from enamel.library.models.layers import Layer
from enamel.library.models.pieces import Piece
from enamel.prints.models import PrintFile


class BatchQuerySet(models.QuerySet["Batch"]):
    def of(self, person: Person) -> "BatchQuerySet":
        return self.filter(owner_id=person.pk)

    def at_work(self) -> "BatchQuerySet":
        """Return those that may have work to submit, the most urgent first."""
        return self.filter(paused=False, ended=None).order_by("-urgency", "created")


class Batch(models.Model):
    """One treatment for many pictures. The treatment is frozen at its start."""

    class Urgency(models.IntegerChoices):
        """Priority of its firings in the queue."""

        BEFORE = 10, "Before everything else"
        AMONG = 0, "In turn with everything else"
        BEHIND = -10, "When nothing else waits"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="batches")
    name = models.CharField(max_length=120)
    treatment = models.JSONField(
        help_text="What is done with each picture, every setting spelt out."
    )
    urgency = models.SmallIntegerField(choices=Urgency.choices, default=Urgency.BEHIND)
    paused = models.BooleanField(default=False)
    folder = models.CharField(max_length=255, blank=True, help_text="That its pictures come from.")
    watched = models.BooleanField(default=False, help_text="Whether new files there are imported.")
    looking = models.BooleanField(default=False, help_text="Whether the folder is still looked at.")
    seen = models.JSONField(default=dict, help_text="Files there at the last look, not yet whole.")
    created = models.DateTimeField(default=timezone.now)
    ended = models.DateTimeField(null=True, blank=True, help_text="When nothing was left to do.")

    objects = BatchQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return self.name

    def as_treatment(self) -> Treatment:
        return Treatment.from_json(self.treatment)


class BatchItemQuerySet(models.QuerySet["BatchItem"]):
    def with_all(self) -> "BatchItemQuerySet":
        """Return items with the rows that their state follows from, in few queries."""
        related = self.select_related("batch", "piece", "firing__result", "firing__piece")
        return related.prefetch_related("files")

    def fired(self) -> "BatchItemQuerySet":
        """Return those whose layer exists."""
        return self.filter(models.Q(firing__state=Firing.State.DONE) | ~models.Q(result=None))

    def waiting(self) -> "BatchItemQuerySet":
        """Return those not begun yet, in their order."""
        return self.filter(begun=None, skipped=False, error="").order_by("place", "pk")


class BatchItem(models.Model):
    """One picture of a batch. Its state follows from its firing and its print files."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        QUEUED = "queued", "In the kiln's queue"
        FIRING = "firing", "Firing"
        PAUSED = "paused", "Paused"
        WRITING = "writing", "Files being written"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        SKIPPED = "skipped", "Skipped"

    UNDER_WAY = (State.WAITING, State.QUEUED, State.FIRING, State.WRITING)

    batch = models.ForeignKey(Batch, models.CASCADE, related_name="items")
    place = models.IntegerField(help_text="Smaller ones go first.")
    piece = models.ForeignKey(Piece, models.SET_NULL, null=True, blank=True, related_name="+")
    source = models.CharField(max_length=255, help_text="Name of the file, or title of the piece.")
    stamp = models.CharField(
        max_length=60, blank=True, help_text="Size and time of change of a file from a folder."
    )
    skipped = models.BooleanField(default=False)
    error = models.TextField(
        blank=True, help_text="Why it could not be fired, or its files written."
    )
    firing = models.ForeignKey(Firing, models.SET_NULL, null=True, blank=True, related_name="+")
    result = models.ForeignKey(
        Layer, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="Result where nothing had to be fired.",
    )  # fmt: skip
    files = models.ManyToManyField(PrintFile, related_name="+")
    ordered = models.BooleanField(
        default=False, help_text="Whether its print files were asked for."
    )
    predicted = models.FloatField(null=True, blank=True, help_text="Seconds its firing would take.")
    begun = models.DateTimeField(null=True, blank=True)
    ended = models.DateTimeField(null=True, blank=True)

    objects = BatchItemQuerySet.as_manager()

    class Meta:
        ordering = ["place", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["batch", "source", "stamp"], condition=~models.Q(stamp=""),
                name="one_item_per_file",
            ),
            models.UniqueConstraint(
                fields=["batch", "piece"], name="one_item_per_piece",
            ),
        ]  # fmt: skip

    def __str__(self) -> str:
        return f"{self.source} in {self.batch}"

    @cached_property
    def state(self) -> "BatchItem.State":
        """Its state."""
        states = self.State
        if self.skipped:
            return states.SKIPPED
        if self.error:
            return states.FAILED
        if self.firing and self.firing.state != Firing.State.DONE:
            return {
                Firing.State.WAITING: states.QUEUED,
                Firing.State.RUNNING: states.FIRING,
                Firing.State.STOPPED: states.PAUSED,
                Firing.State.FAILED: states.FAILED,
            }[Firing.State(self.firing.state)]
        if not self.fired:
            return states.WAITING
        files = list(self.files.all())
        if any(file.state == PrintFile.State.FAILED for file in files):
            return states.FAILED
        asked = bool(self.batch.treatment["files"])
        if any(file.open for file in files) or (asked and not self.ordered):
            return states.WRITING
        return states.DONE

    @property
    def fired(self) -> Layer | None:
        """The layer that it resulted in."""
        return self.result or (self.firing.result if self.firing else None)

    @property
    def under_way(self) -> bool:
        """Whether it continues without the artist."""
        return self.state in self.UNDER_WAY

    @property
    def reason(self) -> str:
        """Why it failed."""
        files = [file.error for file in self.files.all() if file.error]
        return self.error or (self.firing.error if self.firing else "") or "; ".join(files)

    @property
    def progress(self) -> float:
        """Progress of its firing, 0…1."""
        if self.firing and not self.fired:
            return self.firing.progress
        return 1.0 if self.fired else 0.0
