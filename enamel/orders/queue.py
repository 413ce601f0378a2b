"""Put the refreshing of answers in its queue."""

from enamel.jobs.queueing import MAINTENANCE, enqueue_once


def enqueue_question(question: str) -> None:
    """Have a worker refresh an answer, unless that waits already."""
    enqueue_once("orders.ask_service", MAINTENANCE, f"ask {question}", question=question)
