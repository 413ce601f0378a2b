"""Print files sent to the print shop."""

import uuid
from typing import Any, ClassVar

from django.db import models, transaction
from django.utils import timezone

from enamel.jobs.models import JobQuerySet
from enamel.orders.models.orders import Order
from enamel.prints.models import PrintFile


class ShopOrderQuerySet(JobQuerySet["ShopOrder"]):
    """Orders at the print shop."""


class ShopOrder(Order):
    """A print file sent to the print shop, and the shop's answer."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting to be sent"
        SENDING = "sending", "Being sent"
        CHECKING = "checking", "The shop is checking it"
        ACCEPTED = "accepted", "Accepted"
        REFUSED = "refused", "Refused"
        FAILED = "failed", "Not sent"

    OPEN: ClassVar = (State.WAITING, State.SENDING, State.CHECKING)
    LABEL = "Sending a print file to the shop"
    PIECE = "print_file__layer__piece"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    print_file = models.ForeignKey(PrintFile, models.CASCADE, related_name="orders")
    paper = models.CharField(max_length=40)
    copies = models.PositiveIntegerField(default=1)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    answer = models.JSONField(default=dict, help_text="The shop's answer.")
    proof = models.FileField(upload_to="proofs/", blank=True)

    objects = ShopOrderQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]
        constraints = [
            models.UniqueConstraint(
                fields=["print_file"], name="one_open_order_per_file",
                condition=models.Q(state__in=["waiting", "sending", "checking"]),
            ),
        ]  # fmt: skip

    def settle(self, state: str, **fields: Any) -> bool:
        """End the order. Ordering the same file from now on is a new order."""
        ended = {"news": "", "ended": timezone.now()} | fields
        with transaction.atomic():
            settled = self.transition(state, only_from=self.OPEN, **ended)
            if settled:
                PrintFile.objects.filter(pk=self.print_file_id).update(order_key=uuid.uuid4())
        return settled

    def fail(self, error: str) -> bool:
        return self.settle(self.State.FAILED, error=error)

    def __str__(self) -> str:
        return f"{self.print_file.name} at the shop: {self.state_label}"
