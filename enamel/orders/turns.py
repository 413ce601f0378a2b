"""Orders at external services, one turn at a time: the same for the print shop and the bureau."""

from typing import Any, Generic, TypeVar

from pydantic import BaseModel

from enamel.orders.clients.client import Rejected, Retryable, ServiceClient, Unknown
from enamel.orders.clients.sending import Turn
from enamel.orders.models.orders import Order

O = TypeVar("O", bound=Order)  # noqa: E741
Form = TypeVar("Form", bound=BaseModel)
UNKNOWN_PAUSE_SECONDS = 2.0


class OrderClosed(Exception):
    """The artist has cancelled or deleted the order meanwhile."""


class OrderTurn(Generic[O]):
    """One order, for one turn of its job.

    The service knows an order by its key, so nothing is ordered or charged twice, and files are sent from
    the last byte that arrived. So a turn can be repeated, whatever part of it a worker did before it died.
    """

    def __init__(self, order: O, client: ServiceClient) -> None:
        self.order = order
        self.client = client
        self.turn = Turn()

    def step(self) -> float | None:
        """Go as far as time allows; return the pause until the next turn, None at the end.

        Raises
        ------
        Rejected, Retryable, Unknown, OrderClosed
        """
        raise NotImplementedError

    def reject(self, error: Rejected) -> None:
        """End the order because the service refused it."""
        raise NotImplementedError

    def give_up(self, error: Retryable) -> bool:
        """End an order that was not placed because the service can't be reached; return whether that was
        done.
        """
        return False

    def take(self) -> float | None:
        """Take the turn; return the pause until the next, None once the order is settled."""
        try:
            return self.step()
        except OrderClosed:
            return 0.0
        except Retryable as error:
            return None if self.give_up(error) else self.order.wait(str(error), error.pause)
        except Unknown as error:
            return self.order.wait(
                f"{error} It is asked again until it is known.", UNKNOWN_PAUSE_SECONDS
            )
        except Rejected as error:
            self.reject(error)
            return None

    def place(self, form: type[Form], wanted: dict[str, Any], key: str, if_unknown: str) -> Form:
        """Place the order, or find it where it was placed and the answer got lost.

        Parameters
        ----------
        key : identifies repetitions of the same order.
        if_unknown : the message where it is not known whether the service has the order.

        Raises
        ------
        Rejected, Retryable, Unknown
        """
        before = self.order.uncertain
        self.update(uncertain=True)
        try:
            return self.client.ask("POST", "/v1/orders", form, body=wanted, key=key)
        except Retryable:
            self.update(uncertain=before)
            raise
        except Unknown as error:
            raise Unknown(f"{error} {if_unknown}") from error

    def update(self, **fields: Any) -> None:
        """Store facts of the order.

        Raises
        ------
        OrderClosed
            When the order is not open any more.
        """
        if not self.order.record(**fields):
            raise OrderClosed
