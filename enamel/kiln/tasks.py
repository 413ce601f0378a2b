"""What workers do: firings in one queue, swatches in another, chores that wait for neither in a third."""

from collections.abc import Callable
from typing import Any
from uuid import UUID

from django.db import InterfaceError, OperationalError
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import JobAborted

from enamel.kiln import checking, heartbeats, prints, shop
from enamel.kiln.bureau import sending as bureau
from enamel.kiln.faults import OutOfRoom
from enamel.kiln.firings import running
from enamel.kiln.locks import Busy
from enamel.kiln.mending import running as candidates
from enamel.kiln.models import Layer, PrintFile, SentCoat, ShopOrder
from enamel.kiln.networks import trials
from enamel.kiln.outside import known
from enamel.kiln.pieces import arrivals, bringing
from enamel.kiln.queueing import (
    CHORES,
    FIRINGS,
    SWATCHES,
    enqueue_order,
    enqueue_question,
    enqueue_sent_coat,
    enqueue_trials,
)
from enamel.kiln.storage import layers as store
from enamel.kiln.swatches import running as swatching

RETRY_SECONDS = 5
AGAIN = RetryStrategy(
    wait=RETRY_SECONDS,
    retry_exceptions={Busy, JobAborted, OutOfRoom, OperationalError, InterfaceError},
)
"""What passes by itself: another worker is at it, this one closes, the disk is full, the database is away."""


def task(queue: str, words: str = "", **options: Any) -> Callable[[Callable[..., None]], Any]:
    """Make a function a job.

    Parameters
    ----------
    words : what a worker is said to be doing meanwhile.
    """

    def made(function: Callable[..., None]) -> Any:
        told = heartbeats.shown_as(words)(function) if words else function
        declared: Any = app.task(queue=queue, retry=AGAIN, **options)
        return declared(told)

    return made


@task(FIRINGS, pass_context=True)
def fire(context: JobContext, firing_id: str) -> None:
    """Carry out a firing; a worker that has to close hands it back."""
    if not running.run(UUID(firing_id), context.should_abort):
        raise JobAborted


@task(SWATCHES, "Making a swatch", pass_context=True)
def make_swatch(context: JobContext, swatch_id: int) -> None:
    """Make one swatch of a sheet."""
    if not swatching.make(swatch_id, context.should_abort):
        raise JobAborted


@task(SWATCHES, "Making a candidate of a touch-up", pass_context=True)
def make_candidate(context: JobContext, candidate_id: int) -> None:
    """Make one candidate of a touch-up."""
    if not candidates.make(candidate_id, context.should_abort):
        raise JobAborted


@task(CHORES, "Reading an imported file")
def read_upload(arrival_id: str) -> None:
    """Read a picture's file, or try a model's, that waits."""
    arrival = arrivals.carry_out(UUID(arrival_id))
    if arrival is not None and arrival.kind == arrival.Kind.NETWORK:
        enqueue_trials()


@task(CHORES, "Making a layer ready to be looked at")
def prepare(layer_id: str) -> None:
    """Make a layer ready to be looked at."""
    layer = Layer.objects.filter(pk=UUID(layer_id)).first()
    if layer is not None:
        store.prepare(layer)


@task(CHORES, "Checking a layer")
def check(layer_id: str) -> None:
    """Check a layer that was made before there were checks, or by another version of them."""
    layer = Layer.objects.filter(pk=UUID(layer_id)).first()
    if layer is not None:
        checking.check_layer(layer)


@app.periodic(cron="17 4 * * *")
@task(CHORES, "Deleting old pieces for good")
def delete_for_good(timestamp: int) -> None:
    """Once a day: delete pieces that were deleted long ago, old print files and offers."""
    bringing.delete_for_good()
    prints.delete_outlived()
    SentCoat.objects.outlived().delete()


@task(CHORES, "Writing a print file")
def write_print(print_id: str) -> None:
    """Write a print file that waits."""
    prints.write(UUID(print_id))


@task(CHORES, "Copying a print file into the workshop's folder")
def publish(print_id: str) -> None:
    """Copy a written file into the workshop's folder; what could not be is said at the file."""
    made = PrintFile.objects.filter(pk=UUID(print_id), state=PrintFile.State.DONE).first()
    if made is not None:
        prints.publish_and_note(made)


@task(CHORES, "Sending a print file to the shop")
def send_to_shop(order_id: str) -> None:
    """Carry a print file's order on; what takes longer is taken up again after a pause."""
    pause = shop.send(UUID(order_id))
    if pause is not None:
        enqueue_order(ShopOrder(pk=UUID(order_id)), pause)


@task(CHORES, "Talking to the bureau")
def get_sent_coat_on(sent_id: str) -> None:
    """Carry a coat at the bureau on; what takes longer is taken up again after a pause."""
    pause = bureau.get_on(UUID(sent_id))
    if pause is not None:
        enqueue_sent_coat(SentCoat(pk=UUID(sent_id)), pause)
    else:
        enqueue_question(known.ACCOUNT)


@task(CHORES, "Asking a service outside")
def ask_service(question: str) -> None:
    """Ask a service outside what pages show of it."""
    known.ask(question)


@app.periodic(cron="*/5 * * * *")
@task(CHORES)
def ask_services(timestamp: int) -> None:
    """Every five minutes: ask the services outside, so that pages have something to show."""
    for question in known.QUESTIONS:
        enqueue_question(question)


@task(CHORES, "Trying a model")
def try_model(name: str) -> None:
    """Try a model on this machine: its speed, and what it makes of the demo pictures."""
    trials.carry_out(name)
