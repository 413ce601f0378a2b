"""Put the job of batches in its queue."""

from enamel.batches.models import Batch
from enamel.jobs.queueing import MAINTENANCE, enqueue_once


def enqueue_feed() -> None:
    """Have batches fed soon, where there are any to be fed; workers call this every few seconds."""
    if Batch.objects.at_work().exists():
        enqueue_once("batches.feed", MAINTENANCE, "feed")
