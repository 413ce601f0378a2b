"""Touch-ups before they are layers: the places and their candidates."""

import uuid
from typing import Any

from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.fields import from_json
from enamel.core.geometry import Box
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.library.models.layers import Layer


class MendingQuerySet(models.QuerySet["Mending"]):
    def of(self, person: Person) -> "MendingQuerySet":
        """Return touch-ups of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class Mending(models.Model):
    """One or many places of a layer that are mended, with candidates to choose from."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("library.Piece", models.CASCADE, related_name="mendings")
    layer = models.ForeignKey(Layer, models.CASCADE, related_name="mendings")
    settings = models.JSONField(help_text="The touch-up, with a patch for each place.")
    names = models.JSONField(default=list, help_text="What each place is called.")
    replaces = models.ForeignKey(
        Layer, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The touch-up that this one changes.",
    )  # fmt: skip
    stopped = models.BooleanField(default=False)
    predicted_seconds = models.FloatField(default=0)
    created = models.DateTimeField(default=timezone.now)

    objects = MendingQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"touch-up of {self.layer}"

    def as_touch_up(self) -> TouchUp:
        return TouchUp.from_json(self.settings)


class CandidateQuerySet(models.QuerySet["Candidate"]):
    def open(self) -> "CandidateQuerySet":
        """Waiting or running."""
        return self.filter(state__in=[Candidate.State.QUEUED, Candidate.State.RUNNING])


class Candidate(models.Model):
    """One way to mend one place."""

    class State(models.TextChoices):
        QUEUED = "queued", "Waiting"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        STOPPED = "stopped", "Stopped"

    class Verdict(models.TextChoices):
        ACCEPTED = "accepted", "Accepted"
        REJECTED = "rejected", "Rejected"

    mending = models.ForeignKey(Mending, models.CASCADE, related_name="candidates")
    place = models.PositiveIntegerField(help_text="Which place it mends, from 0.")
    number = models.PositiveIntegerField(help_text="Which of the place's candidates, from 0.")
    patch = models.JSONField(help_text="Mask, working size, strength and seed.")
    over = models.JSONField(null=True, help_text="Where alone it is laid, when it was painted.")
    content_key = models.CharField(
        max_length=64, help_text="Hash of all that determines the pixels."
    )
    around = models.JSONField(help_text="Left, top, width, height of its pixels on the layer.")
    state = models.CharField(max_length=10, choices=State.choices, default=State.QUEUED)
    verdict = models.CharField(max_length=10, choices=Verdict.choices, blank=True)
    error = models.TextField(blank=True)
    pixels = models.FileField(upload_to="candidates/", blank=True, help_text="16-bit sRGB samples.")
    shown = models.BinaryField(null=True, help_text="WebP of the place, mended.")
    seconds = models.FloatField(null=True, blank=True)
    model_seconds = models.FloatField(null=True, blank=True)
    tries = models.PositiveIntegerField(default=0)

    objects = CandidateQuerySet.as_manager()

    class Meta:
        ordering = ["place", "number"]

    def __str__(self) -> str:
        return f"candidate {self.number + 1} of place {self.place + 1}"

    @property
    def box(self) -> Box:
        return Box(*self.around)

    @property
    def open(self) -> bool:
        return self.state in (self.State.QUEUED, self.State.RUNNING)

    def as_patch(self) -> Patch:
        """Its settings, laid where it was painted."""
        form: dict[str, Any] = {**self.patch, "over": self.over}
        return from_json(Patch, form)
