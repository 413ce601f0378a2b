"""Files on their way in: what takes long to read or to try waits for the kiln."""

import uuid
from datetime import timedelta
from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models
from django.utils import timezone

from enamel.kiln.models.people import Person

if TYPE_CHECKING:
    from enamel.kiln.models.pieces import Piece


NEWS = timedelta(minutes=15)
"""How long the notice of an added model is shown."""


class ArrivalQuerySet(models.QuerySet["Arrival"]):
    def of(self, person: Person) -> "ArrivalQuerySet":
        """Files that the person brought."""
        return self.filter(owner_id=person.pk)

    def in_sight(self) -> "ArrivalQuerySet":
        """On their way, or refused and not yet dismissed; models also for a while after they are done."""
        news = models.Q(kind=Arrival.Kind.NETWORK, created__gt=timezone.now() - NEWS)
        return self.filter(~models.Q(state=Arrival.State.DONE) | news)

    def open(self) -> "ArrivalQuerySet":
        return self.filter(state__in=[Arrival.State.WAITING, Arrival.State.WORKING])


class Arrival(models.Model):
    """A file that was sent and is stored: waiting, in work, done, or refused with the reason."""

    class Kind(models.TextChoices):
        PICTURE = "picture", "Picture"
        NETWORK = "network", "Model"

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        WORKING = "working", "Being read"
        DONE = "done", "Done"
        REFUSED = "refused", "Refused"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=255, help_text="Of the file as it was sent.")
    words = models.JSONField(default=dict, help_text="What was said of it: name, summary, licence.")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    share = models.FloatField(default=0, help_text="How much of it is read, 0…1.")
    tries = models.PositiveIntegerField(
        default=0, help_text="Times that a worker began it and did not end it."
    )
    error = models.TextField(blank=True, help_text="Why it was refused.")
    piece: "models.ForeignKey[Piece | None, Piece | None]" = models.ForeignKey(
        "Piece", models.SET_NULL, null=True, blank=True, related_name="+"
    )
    created = models.DateTimeField(default=timezone.now)

    objects = ArrivalQuerySet.as_manager()

    class Meta:
        ordering = ["created"]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_state_display()}"

    @property
    def open(self) -> bool:
        return self.state in (self.State.WAITING, self.State.WORKING)
