"""Coats sent to the bureau, and spending limits."""

import uuid
from datetime import datetime
from typing import Any, ClassVar

from django.conf import settings as site
from django.db import models
from django.db.models import Sum
from django.utils import timezone

from enamel.core.geometry import Size
from enamel.core.schedule import Coat
from enamel.jobs.models import JobQuerySet
from enamel.library.models.layers import Layer
from enamel.orders.models.orders import Order

USUAL_LIMIT_CENTS = 2000


class SentCoatQuerySet(JobQuerySet["SentCoat"]):
    def expired(self) -> "SentCoatQuerySet":
        """Return old offers that were not accepted."""
        offers = self.filter(ordered=None, charged_cents=0, state__in=SentCoat.OFFERS)
        return offers.filter(expires__lt=timezone.now())

    def spent_cents(self, owner_id: int, since: datetime) -> int:
        """Return the cents that an artist has spent since a time, with coats under way and those of
        deleted pieces.
        """
        charged = self.filter(piece__owner_id=owner_id, ordered__gte=since)
        return charged.aggregate(sum=Sum("charged_cents"))["sum"] or 0


class SentCoat(Order):
    """A coat for the bureau to lay on a layer, from offer to result."""

    class State(models.TextChoices):
        ASKING = "asking", "Waiting for an offer"
        OFFERED = "offered", "Offered"
        WAITING = "waiting", "Waiting to be sent"
        SENDING = "sending", "Being sent"
        RENDERING = "rendering", "At the bureau"
        FETCHING = "fetching", "Coming back"
        CANCELLING = "cancelling", "Being cancelled"
        DOUBTED = "doubted", "Came back, but changed"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        LEFT = "left", "Cancelled"

    UNDER_WAY: ClassVar = (State.WAITING, State.SENDING, State.RENDERING, State.FETCHING)
    """States of accepted orders that are not cancelled."""
    OPEN: ClassVar = (State.ASKING, *UNDER_WAY, State.CANCELLING)
    OFFERS: ClassVar = (State.OFFERED, State.FAILED)
    """States before an order; failed where there was no offer."""

    LABEL = "Talking to the bureau"
    PIECE = "piece"

    id = models.UUIDField(
        primary_key=True, default=uuid.uuid4, editable=False,
        help_text="Also the key by which the bureau charges it once.",
    )  # fmt: skip
    piece = models.ForeignKey("library.Piece", models.CASCADE, related_name="sent_coats")
    start = models.ForeignKey(Layer, models.CASCADE, related_name="+")
    frozen = models.JSONField(help_text="The coat, every setting spelt out.")
    terms = models.JSONField(default=dict, help_text="The bureau's conditions at the time.")
    offer = models.CharField(max_length=60, blank=True, help_text="The offer's number.")
    cents = models.PositiveIntegerField(default=0, help_text="The offered price.")
    currency = models.CharField(max_length=3, default="EUR")
    expires = models.DateTimeField(default=timezone.now)
    state = models.CharField(max_length=10, choices=State.choices, default=State.OFFERED)
    ordered = models.DateTimeField(null=True, blank=True)
    charged_cents = models.PositiveIntegerField(
        default=0, help_text="Counts towards the limit from the order on; 0 once given back."
    )
    spoilt = models.PositiveIntegerField(
        default=0, help_text="Times that the result came with a wrong checksum."
    )
    compared = models.JSONField(default=dict, help_text="What came back against what left.")
    preview = models.FileField(upload_to="sent-out/", blank=True)
    pixels = models.FileField(
        upload_to="sent-out/", blank=True, help_text="What came back, while the artist decides."
    )
    result = models.ForeignKey(Layer, models.SET_NULL, null=True, blank=True, related_name="+")

    objects = SentCoatQuerySet.as_manager()

    class Meta:
        ordering = ["-created"]

    def fail(self, error: str, **fields: Any) -> bool:
        """End it as failed with a reason, unless it is being cancelled."""
        only_from = (self.State.ASKING, *self.UNDER_WAY)
        ended = {"news": "", "ended": timezone.now()} | fields
        return self.transition(self.State.FAILED, only_from=only_from, error=error, **ended)

    def __str__(self) -> str:
        return f"Coat on {self.start} at the bureau: {self.state_label}"

    @property
    def under_way(self) -> bool:
        """Whether it is ordered and can be cancelled."""
        return self.state in self.UNDER_WAY

    @property
    def expired(self) -> bool:
        """Whether it is an offer that has expired."""
        return self.state == self.State.OFFERED and timezone.now() > self.expires

    @property
    def coat(self) -> Coat:
        return Coat.from_json(self.frozen)

    @property
    def size(self) -> Size:
        """Size of the result."""
        return self.coat.size_from(self.start.size)

    @property
    def files(self) -> dict[str, Layer]:
        """Return the layers whose pixels are sent, by role."""
        refine = self.coat.refinement
        sent = {"layer": self.start}
        if refine is not None and refine.needs_base:
            sent["base"] = self.piece.base
        return sent

    @property
    def url(self) -> str:
        """Address of its result, compared with the layer that was sent."""
        return f"{self.piece.get_absolute_url()}?layer={self.result_id}&against={self.start_id}"

    @property
    def bureau(self) -> str:
        """The bureau's name."""
        return str(self.terms.get("name", "the bureau"))

    @property
    def recipe_mark(self) -> dict[str, Any]:
        """What the layer's recipe says about where it was made."""
        return {
            "name": self.bureau, "renderer": self.terms.get("renderer", ""), "order": self.number,
            "cents": self.cents, "currency": self.currency,
        }  # fmt: skip


class SpendingLimit(models.Model):
    """An artist's spending limit at the bureau for a calendar month."""

    owner = models.OneToOneField(site.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    cents = models.PositiveIntegerField(default=USUAL_LIMIT_CENTS)

    def __str__(self) -> str:
        return f"{self.cents / 100:.2f} each month for {self.owner}"

    @classmethod
    def of(cls, owner_id: int) -> int:
        """Return an artist's limit in cents, or the default."""
        kept = cls.objects.filter(owner_id=owner_id).first()
        return kept.cents if kept else USUAL_LIMIT_CENTS
