"""Touch-ups in preparation: their places and candidates."""

import uuid
from typing import Any

from django.db import models
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.core.fields import from_json
from enamel.core.geometry import Box
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.jobs.models import Job, JobQuerySet
from enamel.jobs.queueing import SWATCHES
from enamel.library.models.layers import Layer


class TouchUpDraftQuerySet(models.QuerySet["TouchUpDraft"]):
    def of(self, person: Person) -> "TouchUpDraftQuerySet":
        """Return touch-ups of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class TouchUpDraft(models.Model):
    """One or more places of a layer to be touched up, with candidates to choose from."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("library.Piece", models.CASCADE, related_name="touch_up_drafts")
    layer = models.ForeignKey(Layer, models.CASCADE, related_name="touch_up_drafts")
    settings = models.JSONField(help_text="The touch-up, with a patch for each place.")
    names = models.JSONField(default=list, help_text="What each place is called.")
    replaces = models.ForeignKey(
        Layer, models.SET_NULL, null=True, blank=True, related_name="+",
        help_text="The touch-up that this one changes.",
    )  # fmt: skip
    predicted_seconds = models.FloatField(default=0)
    created = models.DateTimeField(default=timezone.now)

    objects = TouchUpDraftQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return f"touch-up of {self.layer}"

    def as_touch_up(self) -> TouchUp:
        return TouchUp.from_json(self.settings)


class CandidateQuerySet(JobQuerySet["Candidate"]):
    """Candidates."""


class Candidate(Job):
    """One refinement of one place."""

    QUEUE = SWATCHES
    LABEL = "Making candidates of a touch-up"
    PIECE = "draft__piece"
    GROUP = "draft"
    USES_FINISHED_TILES = True
    AFTER_CRASHES = "Choose a smaller working size."

    class Verdict(models.TextChoices):
        ACCEPTED = "accepted", "Accepted"
        REJECTED = "rejected", "Rejected"

    draft = models.ForeignKey(TouchUpDraft, models.CASCADE, related_name="candidates")
    place = models.PositiveIntegerField(help_text="Which place it mends, from 0.")
    number = models.PositiveIntegerField(help_text="Which of the place's candidates, from 0.")
    patch = models.JSONField(help_text="Mask, working size, strength and seed.")
    over = models.JSONField(null=True, help_text="Where alone it is laid, when it was painted.")
    content_key = models.CharField(
        max_length=64, help_text="Hash of all that determines the pixels."
    )
    around = models.JSONField(help_text="Left, top, width, height of its pixels on the layer.")
    verdict = models.CharField(max_length=10, choices=Verdict.choices, blank=True)
    pixels = models.FileField(upload_to="candidates/", blank=True, help_text="16-bit sRGB samples.")
    shown = models.BinaryField(null=True, help_text="WebP of the place, mended.")
    model_seconds = models.FloatField(null=True, blank=True)

    objects = CandidateQuerySet.as_manager()

    class Meta:
        ordering = ["place", "number"]

    def __str__(self) -> str:
        return f"candidate {self.number + 1} of place {self.place + 1}"

    @property
    def box(self) -> Box:
        return Box(*self.around)

    @property
    def queue_priority(self) -> int:
        # the first candidates of all places come before the second ones
        return -self.number

    @property
    def url(self) -> str:
        return reverse("touch-up-draft", args=[self.draft_id])

    def as_patch(self) -> Patch:
        """Its settings as a patch, restricted to where it was painted."""
        form: dict[str, Any] = {**self.patch, "over": self.over}
        return from_json(Patch, form)
