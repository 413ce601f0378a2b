"""The kiln's jobs: firings in one queue, chores that must never wait for them in another."""

import math
from contextlib import suppress
from uuid import UUID

from django.db import transaction
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued, JobAborted

from enamel.kiln import attendance, checking, prints, shop
from enamel.kiln.bureau import sending as bureau
from enamel.kiln.firings import running
from enamel.kiln.held import Busy
from enamel.kiln.mending import running as candidates
from enamel.kiln.models import Arrival, Layer, Model, PrintFile, SentCoat, ShopOrder
from enamel.kiln.networks import trials
from enamel.kiln.outside import known
from enamel.kiln.pieces import arrivals, bringing
from enamel.kiln.storage import layers as store
from enamel.kiln.swatches import running as swatching

FIRINGS = "firings"
SWATCHES = "swatches"
CHORES = "chores"
RETRY_SECONDS = 5


@app.task(
    queue=FIRINGS,
    pass_context=True,
    retry=RetryStrategy(wait=RETRY_SECONDS, retry_exceptions={Busy, JobAborted}),
)
def fire(context: JobContext, firing_id: str) -> None:
    """Carry out a firing; a worker that has to close hands it back."""
    if not running.run(UUID(firing_id), context.should_abort):
        raise JobAborted


@app.task(
    queue=SWATCHES,
    pass_context=True,
    retry=RetryStrategy(wait=RETRY_SECONDS, retry_exceptions={JobAborted}),
)
@attendance.at("Making a swatch")
def make_swatch(context: JobContext, swatch_id: int) -> None:
    """Make one swatch of a sheet."""
    if not swatching.make(swatch_id, context.should_abort):
        raise JobAborted


@app.task(
    queue=SWATCHES,
    pass_context=True,
    retry=RetryStrategy(wait=RETRY_SECONDS, retry_exceptions={JobAborted}),
)
@attendance.at("Making a candidate of a touch-up")
def make_candidate(context: JobContext, candidate_id: int) -> None:
    """Make one candidate of a touch-up."""
    if not candidates.make(candidate_id, context.should_abort):
        raise JobAborted


@app.task(queue=CHORES)
@attendance.at("Reading a file that was brought in")
def take_in(arrival_id: str) -> None:
    """Read a picture's file, or try a model's, that waits."""
    arrival = arrivals.carry_out(UUID(arrival_id))
    if arrival is not None and arrival.kind == arrival.Kind.NETWORK:
        enqueue_trials()


def enqueue_trials() -> None:
    """Have every model tried that was not yet, or whose file has changed."""
    for model in Model.objects.at_hand():
        if not model.tried:
            with suppress(AlreadyEnqueued), transaction.atomic():
                try_model.configure(queueing_lock=f"try {model.name}").defer(name=model.name)


@app.task(queue=CHORES)
@attendance.at("Making a layer ready to be looked at")
def prepare(layer_id: str) -> None:
    """Make a layer ready to be looked at."""
    store.prepare(Layer.objects.get(pk=UUID(layer_id)))


@app.task(queue=CHORES)
@attendance.at("Checking a layer")
def check(layer_id: str) -> None:
    """Check a layer that was made before there were checks, or by another version of them."""
    layer = Layer.objects.filter(pk=UUID(layer_id)).first()
    if layer is not None:
        checking.check_layer(layer)


@app.periodic(cron="17 4 * * *")
@app.task(queue=CHORES)
@attendance.at("Deleting what was thrown away")
def delete_for_good(timestamp: int) -> None:
    """Once a day: let go of what was thrown away too long ago, of old print files and offers."""
    bringing.delete_for_good()
    prints.let_go_outlived()
    SentCoat.objects.outlived().delete()


@app.task(queue=CHORES)
@attendance.at("Writing a print file")
def write_print(print_id: str) -> None:
    """Write a print file that waits."""
    prints.write(UUID(print_id))


@app.task(queue=CHORES)
@attendance.at("Putting a print file out")
def put_out(print_id: str) -> None:
    """Copy a written file into the workshop's folder; what could not be is said at the file."""
    made = PrintFile.objects.filter(pk=UUID(print_id), state=PrintFile.State.DONE).first()
    if made is not None:
        prints.put_out_and_say(made)


@app.task(queue=CHORES)
@attendance.at("Sending a print file to the shop")
def send_to_shop(order_id: str) -> None:
    """Get a print file's order at the shop on; what takes longer is taken up again after a pause."""
    pause = shop.send(UUID(order_id))
    if pause is not None:
        send_to_shop.configure(schedule_in={"seconds": math.ceil(pause)}).defer(order_id=order_id)


@app.task(queue=CHORES)
@attendance.at("Speaking with the bureau")
def get_sent_coat_on(sent_id: str) -> None:
    """Get a coat that was sent out on; what takes longer is taken up again after a pause."""
    pause = bureau.get_on(UUID(sent_id))
    if pause is not None:
        _sent_coat(sent_id, math.ceil(pause))
    else:
        enqueue_question(known.ACCOUNT)


@app.task(queue=CHORES)
@attendance.at("Asking a service outside")
def ask_service(question: str) -> None:
    """Ask a service outside what pages show of it."""
    known.ask(question)


@app.periodic(cron="*/5 * * * *")
@app.task(queue=CHORES)
def ask_services(timestamp: int) -> None:
    """Every five minutes: ask the services outside, so that pages have something to show."""
    for question in known.QUESTIONS:
        enqueue_question(question)


@app.task(queue=CHORES)
@attendance.at("Trying a model")
def try_model(name: str) -> None:
    """Try a model on this machine: its speed, and what it makes of the demo pictures."""
    trials.carry_out(name)


def enqueue_question(question: str) -> None:
    """Have a service asked, once."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        ask_service.configure(queueing_lock=f"ask {question}").defer(question=question)


def enqueue_preparation(layer: Layer) -> None:
    """Have a layer made ready to be looked at."""
    prepare.defer(layer_id=str(layer.pk))


def enqueue_checks(layer: Layer) -> None:
    """Have a layer checked against its base, once."""
    with suppress(AlreadyEnqueued), transaction.atomic():
        check.configure(queueing_lock=f"check {layer.pk}").defer(layer_id=str(layer.pk))


def enqueue_arrival(arrival: Arrival) -> None:
    """Have a file that was sent read, or tried."""
    take_in.defer(arrival_id=str(arrival.pk))


def enqueue_put_out(made: PrintFile) -> None:
    """Have a written file copied into the workshop's folder."""
    put_out.defer(print_id=str(made.pk))


def enqueue_order(order: ShopOrder) -> None:
    """Have a print file sent to the shop."""
    send_to_shop.defer(order_id=str(order.pk))


def enqueue_sent_coat(sent: SentCoat) -> None:
    """Have a coat sent out, or what was asked of it since done."""
    _sent_coat(str(sent.pk), 0)


def _sent_coat(sent_id: str, seconds: int) -> None:
    # the lock keeps two workers from the same coat
    job = get_sent_coat_on.configure(lock=f"bureau {sent_id}", schedule_in={"seconds": seconds})
    job.defer(sent_id=sent_id)


def enqueue_print(made: PrintFile) -> None:
    """Have a print file written."""
    write_print.defer(print_id=str(made.pk))
