"""Print files sent to the print shop."""

import uuid

from django.db import models
from django.utils import timezone

from enamel.accounts.people import Person
from enamel.jobs.transitions import Transitions
from enamel.prints.models import PrintFile


class ShopOrderQuerySet(models.QuerySet["ShopOrder"]):
    def of(self, person: Person) -> "ShopOrderQuerySet":
        return self.filter(
            print_file__layer__piece__owner_id=person.pk,
            print_file__layer__piece__deleted_at=None,
        )

    def open(self) -> "ShopOrderQuerySet":
        return self.filter(state__in=ShopOrder.OPEN)


class ShopOrder(Transitions):
    """A print file sent to the print shop, and what the shop said."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting to be sent"
        SENDING = "sending", "Being sent"
        CHECKING = "checking", "The shop is checking it"
        ACCEPTED = "accepted", "Accepted"
        REFUSED = "refused", "Refused"
        FAILED = "failed", "Not sent"

    OPEN = (State.WAITING, State.SENDING, State.CHECKING)

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    print_file = models.ForeignKey(PrintFile, models.CASCADE, related_name="orders")
    paper = models.CharField(max_length=40)
    copies = models.PositiveIntegerField(default=1)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0, help_text="How much of it is sent, 0…1.")
    number = models.CharField(max_length=60, blank=True, help_text="What the shop calls it.")
    uncertain = models.BooleanField(
        default=False, help_text="It was sent and no answer came, so the shop may have it."
    )
    answer = models.JSONField(default=dict, help_text="The shop's answer.")
    news = models.CharField(max_length=300, blank=True, help_text="What is waited for.")
    error = models.TextField(blank=True, help_text="Why it could not be sent.")
    proof = models.FileField(upload_to="proofs/", blank=True)
    moved = models.DateTimeField(default=timezone.now, help_text="When it last got on.")
    created = models.DateTimeField(default=timezone.now)

    objects = ShopOrderQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]
        constraints = [
            models.UniqueConstraint(
                fields=["print_file"], name="one_open_order_per_file",
                condition=models.Q(state__in=["waiting", "sending", "checking"]),
            ),
        ]  # fmt: skip

    def __str__(self) -> str:
        return f"{self.print_file.name} at the shop: {self.get_state_display()}"

    @property
    def open(self) -> bool:
        return self.state in self.OPEN
