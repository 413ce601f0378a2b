"""Put the trials of models in their queue."""

from enamel.catalogue.models import Model
from enamel.jobs.queueing import MAINTENANCE, enqueue_once


def enqueue_trials() -> None:
    """Have every model tried that was not tried yet, or whose file has changed."""
    for model in Model.objects.available():
        if not model.tried:
            enqueue_once("catalogue.try_model", MAINTENANCE, f"try {model.name}", name=model.name)
