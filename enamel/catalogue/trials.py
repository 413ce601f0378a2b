"""Try models on this machine, on parts of the demo pictures; the results are stored."""

from django.conf import settings
from django.db import transaction

from enamel.catalogue.models import Model, Trial, TrialCrop
from enamel.core.networks.trial import Place, tried
from enamel.jobs.services import submit_once

PLACES = (
    ("stationmaster.png", (0.466, 0.407), "The stationmaster's eye"),
    ("emblem.png", (0.54, 0.92), "Lettering of the emblem"),
    ("tea-car.jpg", (0.34, 0.69), "Copper, cloth and wood in the tea car"),
)
"""Demo picture, middle of the crop as fractions of it, what is seen."""


def submit_trials() -> None:
    """Have every model tried whose file was not tried here yet; trials of its earlier files are deleted."""
    for model in Model.objects.available():
        if model.needs_trial:
            trial = Trial(model=model, sha256=model.card.digest)
            if submit_once(trial):
                model.trials.exclude(pk=trial.pk).delete()


def try_model(trial: Trial) -> None:
    """Measure a model and make its crops.

    Raises
    ------
    Refusal
        When it can't be run.
    """
    places = [Place(settings.DEMO_PICTURES / file, middle) for file, middle, _ in PLACES]
    found = tried(trial.model.name, places)
    with transaction.atomic():
        if not trial.finish(rate=found.rate):
            return  # the model was deleted meanwhile
        trial.crops.all().delete()
        TrialCrop.objects.bulk_create(
            TrialCrop(trial=trial, place=place, shows=shows, image=image)
            for place, ((_, _, shows), image) in enumerate(zip(PLACES, found.crops, strict=False))
        )
