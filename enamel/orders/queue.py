"""Have external services asked, by workers."""

from enamel.jobs.queueing import MAINTENANCE, enqueue_once


def enqueue_question(question: str) -> None:
    """Have an external service asked, once."""
    enqueue_once("orders.ask_service", MAINTENANCE, f"ask {question}", question=question)
