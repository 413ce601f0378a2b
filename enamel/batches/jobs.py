"""Run batches, in workers."""

from procrastinate.contrib.django import app

from enamel.batches import feeding
from enamel.batches.queue import enqueue_feed
from enamel.jobs import sweeper
from enamel.jobs.queueing import MAINTENANCE


@app.task(queue=MAINTENANCE, name="batches.feed")
def feed() -> None:
    """Submit the next firings and print files of batches."""
    feeding.feed()


sweeper.register_check(MAINTENANCE, enqueue_feed)
