"""Put the jobs of print files in their queue."""

from enamel.jobs.queueing import MAINTENANCE, enqueue
from enamel.prints.models import PrintFile


def enqueue_publishing(made: PrintFile) -> None:
    """Have a written file copied into the workshop's folder."""
    enqueue("prints.publish", MAINTENANCE, print_id=str(made.pk))
