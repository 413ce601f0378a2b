"""An order at the print shop, carried on by workers: placed, file sent, checked by the shop, settled."""

import hashlib
import time
from contextlib import suppress
from typing import IO, Any

from django.core.files.base import ContentFile
from django.utils import timezone

from enamel.orders.clients import last_answers, sending
from enamel.orders.clients.answers import ShopOrderAnswer, as_json
from enamel.orders.clients.client import Rejected, Retryable, ServiceError
from enamel.orders.clients.sending import send_file
from enamel.orders.models import ShopOrder
from enamel.orders.turns import OrderTurn

LONG_SECONDS = 600.0
"""An order fails when the shop can't be reached for so long."""
PROOF_BYTES = 30_000_000
State = ShopOrder.State


def take_turn(order: ShopOrder) -> float | None:
    """Carry an order on for some seconds: place it, send its file, store the shop's answer.

    Returns
    -------
    The pause until the next turn; None once it is settled.
    """
    with order.print_file.file.open("rb") as file:
        return ShopTurn(order, file).take()


class ShopTurn(OrderTurn[ShopOrder]):
    """One order at the shop, for one turn.

    Parameters
    ----------
    file : the print file, open for reading.
    """

    def __init__(self, order: ShopOrder, file: IO[bytes]) -> None:
        super().__init__(order, last_answers.shop())
        self.file = file

    def step(self) -> float | None:
        if not self.order.number:
            self._place()
        if not self._upload():
            return 0.0
        answer = self._answer()
        if answer is None:
            return sending.PAUSE_SECONDS
        self._keep_proof()
        state = State.ACCEPTED if answer.state == "accepted" else State.REFUSED
        self.order.settle(
            state, answer=as_json(answer), progress=1, proof=self.order.proof.name or ""
        )
        return None

    def reject(self, error: Rejected) -> None:
        self.order.fail(f"The shop does not take this order: {error}")

    def give_up(self, error: Retryable) -> bool:
        waited = (timezone.now() - self.order.moved).total_seconds()
        if self.order.number or self.order.uncertain or waited <= LONG_SECONDS:
            return False
        self.order.fail(f"{error} Nothing was ordered; send it again later.")
        return True

    def _place(self) -> None:
        made = self.order.print_file
        self.file.seek(0)
        wanted: dict[str, Any] = {
            "name": made.name, "bytes": made.file.size,
            "sha256": hashlib.file_digest(self.file, "sha256").hexdigest(),  # type: ignore[arg-type]
            "paper": self.order.paper, "copies": self.order.copies,
        }  # fmt: skip
        placed = self.place(
            ShopOrderAnswer, wanted, str(made.order_key),
            "Whether the shop has this order is not known.",
        )  # fmt: skip
        self.update(
            state=State.SENDING, number=placed.number, uncertain=False, news="",
            moved=timezone.now(),
        )  # fmt: skip

    def _upload(self) -> bool:
        """Send the bytes that have not arrived; return whether the file is complete."""
        total = self.order.print_file.file.size

        def arrived() -> int | None:
            here = self._asked()
            if here.state != "awaiting-file":
                return None
            if here.received / total != self.order.progress:
                self.update(progress=here.received / total, moved=timezone.now())
            return here.received

        return send_file(self.client, f"{self._at}/file", self.file, total, arrived, self.turn)

    def _answer(self) -> ShopOrderAnswer | None:
        """Return the shop's answer once it has inspected the file; None before."""
        while True:
            answer = self._asked()
            if answer.state in ("accepted", "refused"):
                return answer
            news = f"Number {answer.place} in the shop's queue." if answer.place else ""
            self.update(state=State.CHECKING, progress=1, news=news)
            if self.turn.over:
                return None
            time.sleep(sending.PAUSE_SECONDS)

    def _keep_proof(self) -> None:
        with suppress(ServiceError):  # the order is settled without a proof
            proof = self.client.content(f"{self._at}/proof", PROOF_BYTES)
            self.order.proof.save(f"{self.order.pk}.png", ContentFile(proof), save=False)

    @property
    def _at(self) -> str:
        return f"/v1/orders/{self.order.number}"

    def _asked(self) -> ShopOrderAnswer:
        return self.client.ask("GET", self._at, ShopOrderAnswer)
