"""Put the task that runs batches in its queue."""

from enamel.batches.models import Batch
from enamel.jobs.queueing import MAINTENANCE, enqueue_once


def enqueue_feed() -> None:
    """Have batches run soon, where any have work to submit. Workers call this every few seconds."""
    if Batch.objects.at_work().exists():
        enqueue_once("batches.feed", MAINTENANCE, "feed")
