"""Carry orders on and query external services, in workers."""

import shutil

from procrastinate.contrib.django import app

from enamel.jobs.queueing import MAINTENANCE
from enamel.jobs.running import Stopping, carries_out
from enamel.jobs.tasks import task
from enamel.orders.bureau import turns as bureau
from enamel.orders.clients import last_answers
from enamel.orders.models import SentCoat, ShopOrder
from enamel.orders.queue import enqueue_question
from enamel.orders.shop import turns as shop


@carries_out(ShopOrder)
def carry_on_at_shop(order: ShopOrder, stopping: Stopping) -> float | None:
    """Carry on an order at the shop for one turn; return the pause until the next."""
    return shop.take_turn(order)


def _clean_up(sent: SentCoat) -> None:
    shutil.rmtree(bureau.work_folder(sent), ignore_errors=True)
    enqueue_question(last_answers.ACCOUNT)


@carries_out(SentCoat, _clean_up)
def carry_on_at_bureau(sent: SentCoat, stopping: Stopping) -> float | None:
    """Carry on a coat at the bureau for one turn; return the pause until the next."""
    return bureau.take_turn(sent)


@app.periodic(cron="37 4 * * *")
@task(MAINTENANCE, "Deleting old offers")
def delete_old_offers(timestamp: int) -> None:
    """Delete offers that were not accepted. Once a day."""
    SentCoat.objects.expired().delete()


@task(MAINTENANCE, "Asking an external service")
def ask_service(question: str) -> None:
    """Refresh a service's answer for pages."""
    last_answers.refresh(question)


@app.periodic(cron="*/5 * * * *")
@task(MAINTENANCE)
def ask_services(timestamp: int) -> None:
    """Refresh all answers every five minutes, so that pages have recent ones."""
    for question in last_answers.QUERIES:
        enqueue_question(question)
