"""Uploads: files that take long to read, stored until a worker has read them."""

import uuid
from datetime import timedelta

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person

NOTICE = timedelta(minutes=15)
"""How long the notice of an added model is shown."""


class UploadQuerySet(models.QuerySet["Upload"]):
    def of(self, person: Person) -> "UploadQuerySet":
        """Return uploads of the person."""
        return self.filter(owner_id=person.pk)

    def in_sight(self) -> "UploadQuerySet":
        """Open, or rejected and not yet dismissed; models also for a while after they were added."""
        recent = models.Q(kind=Upload.Kind.MODEL, created__gt=timezone.now() - NOTICE)
        return self.filter(~models.Q(state=Upload.State.DONE) | recent)

    def open(self) -> "UploadQuerySet":
        return self.filter(state__in=[Upload.State.WAITING, Upload.State.WORKING])


class Upload(models.Model):
    """A file that was sent and is stored: waiting, being read, done, or rejected with the reason."""

    class Kind(models.TextChoices):
        PICTURE = "picture", "Picture"
        MODEL = "model", "Model"

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        WORKING = "working", "Being read"
        DONE = "done", "Done"
        REJECTED = "rejected", "Rejected"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=255, help_text="Of the file as it was sent.")
    details = models.JSONField(default=dict, help_text="What came with it: name, summary, licence.")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0, help_text="How much of it is read, 0…1.")
    attempts = models.PositiveIntegerField(
        default=0, help_text="Times that a worker began it and did not end it."
    )
    error = models.TextField(blank=True, help_text="Why it was rejected.")
    piece_id = models.UUIDField(null=True, blank=True, help_text="The piece that a picture became.")
    created = models.DateTimeField(default=timezone.now)

    objects = UploadQuerySet.as_manager()

    class Meta:
        ordering = ["created"]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_state_display()}"

    @property
    def open(self) -> bool:
        return self.state in (self.State.WAITING, self.State.WORKING)
