"""Timings of work on this machine, from which further work is predicted."""

from django.db import models
from django.utils import timezone

from enamel.catalogue.models import Trial
from enamel.core.pipeline.pace import Kind, Paces, Portion, TimedPortion

ALIKE = ("kind", "model", "mode", "tile")
"""What makes two timings comparable."""
KEPT = 24
"""How many timings of each kind are kept; older ones have hardly any weight."""


class TimingQuerySet(models.QuerySet["Timing"]):
    def note(self, portion: Portion, seconds: float) -> None:
        """Store a timing, and delete the oldest of its kind."""
        alike = {name: getattr(portion, name) for name in ALIKE}
        self.create(amount=portion.amount, seconds=seconds, **alike)
        newest = self.filter(**alike).order_by("-pk").values_list("pk", flat=True)[:KEPT]
        self.filter(**alike, pk__lt=min(newest)).delete()

    def paces(self) -> Paces:
        """Return this machine's speeds, as far as they are known."""
        known = self.order_by("-pk").values_list(*ALIKE, "amount", "seconds")
        done = [
            TimedPortion(Portion(Kind(kind), amount, model, mode, tile), seconds)
            for kind, model, mode, tile, amount, seconds in known
        ]
        return Paces(done, Trial.objects.rates())


class Timing(models.Model):
    """Some work and the seconds that it took."""

    kind = models.CharField(max_length=10, choices=[(kind.value, kind.value) for kind in Kind])
    model = models.CharField(max_length=40, blank=True)
    mode = models.CharField(max_length=10, blank=True)
    tile = models.CharField(max_length=20, blank=True)
    amount = models.FloatField(help_text="Megapixels.")
    seconds = models.FloatField()
    ended = models.DateTimeField(default=timezone.now)

    objects = TimingQuerySet.as_manager()

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["kind", "model", "mode", "tile"], name="timings_alike")]

    def __str__(self) -> str:
        return f"{self.kind} {self.model} {self.mode} {self.tile}: {self.seconds:.1f} s"
