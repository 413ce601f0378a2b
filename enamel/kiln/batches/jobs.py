"""The kiln's job for batches. Apart from the others: it asks for firings, whose asking knows those."""

from contextlib import suppress

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from enamel.kiln.batches import running
from enamel.kiln.models import Batch
from enamel.kiln.queueing import CHORES


@app.task(queue=CHORES)
def feed() -> None:
    """Give the kiln what batches have to do next."""
    running.feed()


def enqueue_feed() -> None:
    """Have batches fed soon, where there are any at work; workers ask for this every few seconds."""
    if Batch.objects.at_work().exists():
        with suppress(AlreadyEnqueued), transaction.atomic():
            feed.configure(queueing_lock="feed").defer()
