"""Preferences of artists."""

from django.conf import settings
from django.db import models

from enamel.accounts.people import Person
from enamel.core.printing.sizing import Unit


class Preferences(models.Model):
    """How an artist likes to work, and how much of the disk that may take."""

    artist = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    unit = models.CharField(
        max_length=2, choices=[(unit.value, unit.value) for unit in Unit], default=Unit.MM.value
    )
    keys = models.JSONField(default=dict, help_text="Keys of shortcuts that were changed.")
    quota_gb = models.PositiveIntegerField(
        null=True, blank=True,
        help_text="How much of the disk the account may use, as administrators set it; empty for all.",
    )  # fmt: skip

    class Meta:
        verbose_name_plural = "preferences"

    def __str__(self) -> str:
        return f"preferences of {self.artist}"

    @classmethod
    def of(cls, person: Person) -> "Preferences":
        """Return an artist's preferences, or the defaults."""
        return cls.objects.filter(artist_id=person.pk).first() or cls(artist_id=person.pk or 0)

    @property
    def length_unit(self) -> Unit:
        return Unit(self.unit)
