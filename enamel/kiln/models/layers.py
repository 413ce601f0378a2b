"""Layers: the images of a piece."""

import uuid
from typing import Any

from django.db import models
from django.utils import timezone

from enamel.core.checks.findings import VERSION
from enamel.core.geometry import Size
from enamel.kiln.models.people import Person


class LayerQuerySet(models.QuerySet["Layer"]):
    def of(self, person: Person) -> "LayerQuerySet":
        """Layers of the person's own pieces."""
        return self.filter(piece__owner_id=person.pk, piece__deleted_at=None)


class LayerManager(models.Manager["Layer"]):
    """Reports of checks are large and read one at a time, so they are fetched only where they are read."""

    def get_queryset(self) -> "LayerQuerySet":
        return LayerQuerySet(self.model, using=self._db).defer("checks")


class Layer(models.Model):
    """One image of a piece. Immutable; knows its parent and exactly how it was made."""

    class Kind(models.TextChoices):
        BASE = "base", "Base"
        COAT = "coat", "Coat"
        TOUCH_UP = "touch-up", "Touch-up"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    piece = models.ForeignKey("Piece", models.CASCADE, related_name="layers")
    parent = models.ForeignKey(
        "self", models.PROTECT, null=True, blank=True, related_name="children"
    )
    kind = models.CharField(max_length=10, choices=Kind.choices)
    recipe = models.JSONField(default=dict, help_text="Exact settings and model hashes.")
    address = models.CharField(max_length=64, help_text="Hash of all that determines the pixels.")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pixels = models.FileField(upload_to="layers/", help_text="16-bit sRGB canvas.")
    sha256 = models.CharField(max_length=64)
    model = models.CharField(max_length=100, blank=True)
    model_sha256 = models.CharField(max_length=64, blank=True)
    seed = models.BigIntegerField(null=True, blank=True)
    seconds = models.FloatField(default=0)
    created = models.DateTimeField(default=timezone.now)
    pyramid = models.FileField(upload_to="pyramids/", blank=True)
    thumbnail = models.FileField(upload_to="thumbnails/", blank=True)
    faces = models.JSONField(null=True, blank=True, help_text="Boxes x, y, width, height in px.")

    checks = models.JSONField(
        null=True, blank=True, help_text="Report of the checks against the base; none for the base."
    )

    checked_by = models.PositiveIntegerField(
        null=True, blank=True, help_text="Version of the checks that made the report."
    )
    verdict_kept = models.CharField(
        max_length=200, blank=True, help_text="What the checks came to, in a line."
    )
    found = models.PositiveIntegerField(default=0, help_text="Findings of the checks.")

    objects = LayerManager.from_queryset(LayerQuerySet)()

    class Meta:
        ordering = ["created"]
        constraints = [
            models.UniqueConstraint(fields=["piece", "address"], name="one_layer_per_address"),
        ]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} {self.size}"

    @property
    def size(self) -> Size:
        return Size(self.width, self.height)

    @property
    def ready(self) -> bool:
        """Whether it can be looked at."""
        return bool(self.pyramid)

    @property
    def checked(self) -> bool:
        """Whether it has a report in the present form."""
        return self.checked_by == VERSION

    @property
    def verdict(self) -> str:
        """What its checks came to, in a line; empty while it has not been checked."""
        return self.verdict_kept if self.checked else ""

    @property
    def mended_at(self) -> float:
        """Middle of a touch-up's region, as a share of the width; ½ for other layers."""
        box = self.recipe.get("touch_up", {}).get("box")
        return (box[0] + box[2] / 2) / self.width if box else 0.5

    @property
    def refine(self) -> dict[str, Any] | None:
        """The settings of its refinement, if it had one."""
        settings_of = self.recipe.get("touch_up") or self.recipe.get("coat") or {}
        refine: dict[str, Any] | None = settings_of.get("refine")
        return refine
