"""Take orders a step further and ask external services, in workers."""

from uuid import UUID

from procrastinate.contrib.django import app

from enamel.jobs import sweeper
from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.tasks import task
from enamel.orders import shop
from enamel.orders.bureau import turns
from enamel.orders.clients import known
from enamel.orders.models import SentCoat, ShopOrder
from enamel.orders.queue import enqueue_order, enqueue_question, enqueue_sent_coat


@task(MAINTENANCE, "Sending a print file to the shop")
def send_to_shop(order_id: str) -> None:
    """Take an order at the shop a step further; the next step comes after a pause."""
    pause = shop.send(UUID(order_id))
    if pause is not None:
        enqueue_order(ShopOrder(pk=UUID(order_id)), pause)


sweeper.register(
    sweeper.JobKind("orders.send_to_shop", "order_id", ShopOrder.objects.open, enqueue_order)
)


@task(MAINTENANCE, "Talking to the bureau")
def advance_sent_coat(sent_id: str) -> None:
    """Take a coat at the bureau a step further; the next step comes after a pause."""
    pause = turns.get_on(UUID(sent_id))
    if pause is not None:
        enqueue_sent_coat(SentCoat(pk=UUID(sent_id)), pause)
    else:
        enqueue_question(known.ACCOUNT)


sweeper.register(
    sweeper.JobKind("orders.advance_sent_coat", "sent_id", SentCoat.objects.open, enqueue_sent_coat)
)


@app.periodic(cron="37 4 * * *")
@task(MAINTENANCE, "Deleting old offers")
def delete_old_offers(timestamp: int) -> None:
    """Delete offers that nobody took. Once a day."""
    SentCoat.objects.outlived().delete()


@task(MAINTENANCE, "Asking an external service")
def ask_service(question: str) -> None:
    """Ask an external service what pages show of it."""
    known.ask(question)


@app.periodic(cron="*/5 * * * *")
@task(MAINTENANCE)
def ask_services(timestamp: int) -> None:
    """Ask the external services every five minutes, so that pages have something to show."""
    for question in known.QUESTIONS:
        enqueue_question(question)
