"""Put the jobs of orders in their queue."""

from enamel.jobs.queueing import MAINTENANCE, enqueue, enqueue_once
from enamel.orders.models import SentCoat, ShopOrder


def enqueue_order(order: ShopOrder, seconds: float = 0) -> None:
    """Have an order at the shop taken a step further."""
    enqueue(
        "orders.send_to_shop", MAINTENANCE, seconds=seconds, lock=f"shop {order.pk}",
        order_id=str(order.pk),
    )  # fmt: skip


def enqueue_sent_coat(sent: SentCoat, seconds: float = 0) -> None:
    """Have a coat at the bureau taken a step further; the lock keeps two workers from the same one."""
    enqueue(
        "orders.advance_sent_coat", MAINTENANCE, seconds=seconds, lock=f"bureau {sent.pk}",
        sent_id=str(sent.pk),
    )  # fmt: skip


def enqueue_question(question: str) -> None:
    """Have an external service asked, once."""
    enqueue_once("orders.ask_service", MAINTENANCE, f"ask {question}", question=question)
