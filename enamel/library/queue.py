"""Put the jobs of layers in their queue."""

from enamel.jobs.queueing import MAINTENANCE, enqueue
from enamel.library.models import Layer


def enqueue_preparation(layer: Layer) -> None:
    """Have a layer made ready to be looked at."""
    enqueue("library.prepare", MAINTENANCE, layer_id=str(layer.pk))
