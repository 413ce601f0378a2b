"""What the studio remembers of an artist."""

from django.conf import settings
from django.db import models

from enamel.core.printing.sizing import Unit
from enamel.kiln.models import Person


class Preferences(models.Model):
    """How an artist likes to work."""

    artist = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    unit = models.CharField(
        max_length=2, choices=[(unit.value, unit.value) for unit in Unit], default=Unit.MM.value
    )
    keys = models.JSONField(default=dict, help_text="Keys of shortcuts that were changed.")

    class Meta:
        verbose_name_plural = "preferences"

    def __str__(self) -> str:
        return f"preferences of {self.artist}"

    @classmethod
    def of(cls, person: Person) -> "Preferences":
        """An artist's, or the usual ones."""
        return cls.objects.filter(artist_id=person.pk).first() or cls(artist_id=person.pk or 0)

    @property
    def length_unit(self) -> Unit:
        return Unit(self.unit)
