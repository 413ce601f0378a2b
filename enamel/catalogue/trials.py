"""Trying a model on this machine, on parts of the demo pictures; what came of it is noted."""

from django.conf import settings
from django.db import transaction

from enamel.catalogue.models import Model, TrialCrop
from enamel.core.errors import Refusal
from enamel.core.networks.trial import Place, tried

PLACES = (
    ("stationmaster.png", (0.466, 0.407), "The stationmaster's eye"),
    ("emblem.png", (0.54, 0.92), "Lettering of the emblem"),
    ("tea-car.jpg", (0.34, 0.69), "Copper, cloth and wood in the tea car"),
)
"""Demo picture, middle of the crop as fractions of it, what is seen."""


def carry_out(name: str) -> None:
    """Measure the model and make its crops, replacing those of an earlier file. Safe to repeat."""
    entry = Model.objects.named(name)
    if entry is None or entry.tried:
        return
    places = [Place(settings.DEMO_PICTURES / file, middle) for file, middle, _ in PLACES]
    crops: tuple[bytes, ...] = ()
    try:
        trial = tried(name, places)
        entry.rate, crops, entry.error = trial.rate, trial.crops, ""
    except Refusal as refusal:
        entry.rate, entry.error = None, str(refusal)
    # only what was found: the artist may have switched or deleted it meanwhile
    found = {"rate": entry.rate, "error": entry.error, "tried_sha256": entry.card.digest}
    with transaction.atomic():
        if not Model.objects.filter(pk=entry.pk).update(**found):
            return
        entry.crops.all().delete()
        TrialCrop.objects.bulk_create(
            TrialCrop(model=entry, place=place, shows=shows, image=image)
            for place, ((_, _, shows), image) in enumerate(zip(PLACES, crops, strict=False))
        )
