"""Uploads: files that take long to read, stored until a worker has read them."""

import uuid
from datetime import timedelta
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.jobs.models import Job, JobQuerySet

NOTICE = timedelta(minutes=15)
"""How long the notice of an added model is shown."""


class UploadQuerySet(JobQuerySet["Upload"]):
    def of(self, person: Person) -> "UploadQuerySet":
        """Return uploads of the person."""
        return self.filter(owner_id=person.pk)

    def in_sight(self) -> "UploadQuerySet":
        """Return those open, or rejected and not dismissed; models also for a while after they were added."""
        recent = models.Q(kind=Upload.Kind.MODEL, created__gt=timezone.now() - NOTICE)
        return self.filter(~models.Q(state=Upload.State.DONE) | recent)


class Upload(Job):
    """A file that was sent and is stored until it has been read; one that fails is rejected."""

    class Kind(models.TextChoices):
        PICTURE = "picture", "Picture"
        MODEL = "model", "Model"
        PIECE = "piece", "Piece"

    LABEL = "Reading an upload"
    STATE_LABELS: ClassVar = {Job.State.RUNNING: "Being read", Job.State.FAILED: "Rejected"}

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=255, help_text="Of the file as it was sent.")
    details = models.JSONField(default=dict, help_text="What came with it: name, summary, licence.")
    piece_id = models.UUIDField(null=True, blank=True, help_text="The piece that a picture became.")

    objects = UploadQuerySet.as_manager()

    class Meta:
        ordering = ["created"]

    def __str__(self) -> str:
        return f"{self.name}: {self.state_label}"

    @property
    def artist_id(self) -> int:
        return self.owner_id

    @property
    def subject(self) -> str:
        return self.name
