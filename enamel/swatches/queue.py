"""Put the jobs of swatches in their queue."""

from enamel.jobs.queueing import SWATCHES, enqueue
from enamel.swatches.models import Swatch


def enqueue_swatch(swatch: Swatch, place: int = 0) -> None:
    """Have a swatch made. The first of every sheet come first, so that no sheet waits for all of another."""
    enqueue("swatches.make_swatch", SWATCHES, priority=-place, swatch_id=swatch.pk)
