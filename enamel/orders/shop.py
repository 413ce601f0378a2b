"""Print files at the print shop: ordered, sent, asked after. The protocol: docs/guide/print-shop.md."""

import hashlib
import time
from typing import IO, Any
from uuid import UUID, uuid4

from django.core.files.base import ContentFile
from django.db import IntegrityError, transaction
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.jobs.errors import describe_error
from enamel.orders.clients import known, sending
from enamel.orders.clients.answers import PriceList, ShopOrderAnswer, as_json
from enamel.orders.clients.client import (
    Rejected,
    Retryable,
    ServiceClient,
    ServiceError,
    Unknown,
    pause_after,
)
from enamel.orders.clients.known import Known
from enamel.orders.clients.sending import Turn, send_file
from enamel.orders.models import ShopOrder
from enamel.orders.queue import enqueue_order
from enamel.prints.models import PrintFile

MOST_COPIES = 500
State = ShopOrder.State
PROOF_BYTES = 30_000_000


def price_list() -> Known[PriceList]:
    """Return what is known of the shop's papers and prices, at once."""
    return known.known(known.PRICES, PriceList)


def order(print_file: PrintFile, paper: str, copies: int) -> ShopOrder:
    """Return a new order for a print file; a job sends it.

    Raises
    ------
    Refusal
        When the file is not written, or an order for it is under way.
    """
    if print_file.state != PrintFile.State.DONE or not print_file.file:
        raise Refusal("This file is not written yet; wait until it is, then send it.")
    if not 1 <= copies <= MOST_COPIES:
        raise Refusal(f"Copies: from 1 to {MOST_COPIES}.")
    try:
        with transaction.atomic():
            made = ShopOrder.objects.create(print_file=print_file, paper=paper, copies=copies)
            enqueue_order(made)
    except IntegrityError:
        raise Refusal("This file is on its way to the shop already.") from None
    return made


def send(order_id: UUID) -> float | None:
    """Carry an open order on by some seconds: send it, ask for the shop's answer, keep that.

    Safe to repeat: the shop knows an order by its key, and files go on behind the last byte that arrived.

    Returns
    -------
    In how many seconds it wants to be carried on; None once it is settled.
    """
    found = ShopOrder.objects.filter(pk=order_id).open().select_related("print_file").first()
    if found is None:
        return None
    job = OrderJob(found, known.shop())
    try:
        with found.print_file.file.open("rb") as file:
            return job.step(file)
    except Deleted:
        return None
    except Retryable as error:
        if not found.number and not found.uncertain and job.waited_long:
            job.end(State.FAILED, error=f"{error} Nothing was ordered; send it again later.")
            return None
        return job.wait(str(error), error.pause)
    except Unknown as error:
        return job.wait(f"{error} It is asked again until it is known.", 2.0)
    except Rejected as error:
        job.end(State.FAILED, error=f"The shop does not take this order: {error}")
    except Exception as error:
        job.end(State.FAILED, error=describe_error(error, f"shop order {order_id}"))
    return None


class Deleted(Exception):
    """The artist has deleted the order meanwhile."""


class OrderJob:
    """One order at the shop, for one turn of its job."""

    def __init__(self, order: ShopOrder, client: ServiceClient) -> None:
        self.order = order
        self.client = client
        self.turn = Turn()

    @property
    def waited_long(self) -> bool:
        """Whether the shop has not been reached for ten minutes."""
        return (timezone.now() - self.order.moved).total_seconds() > 600

    def step(self, file: IO[bytes]) -> float | None:
        """Go as far as there is time for; return the pause until the next turn, None at the end."""
        if not self.order.number:
            self._place(file)
        if not self._upload(file):
            return 0.0
        answer = self._answer()
        if answer is None:
            return sending.PAUSE_SECONDS
        self._keep_proof()
        state = State.ACCEPTED if answer.state == "accepted" else State.REFUSED
        self.end(state, answer=as_json(answer), progress=1, proof=self.order.proof.name or "")
        return None

    def wait(self, news: str, pause: float) -> float:
        """Say what is waited for; return the pause, longer the longer nothing has moved."""
        ShopOrder.objects.filter(pk=self.order.pk).open().update(news=news[:300])
        return max(pause, pause_after((timezone.now() - self.order.moved).total_seconds()))

    def end(self, state: str, **fields: Any) -> None:
        """Settle the order for certain; another one for the same file is a new order from now on."""
        with transaction.atomic():
            if self.order.transition(state, only_from=ShopOrder.OPEN, news="", **fields):
                PrintFile.objects.filter(pk=self.order.print_file_id).update(order_key=uuid4())

    def _place(self, file: IO[bytes]) -> None:
        """Place the order, or find it where it was placed and the answer got lost."""
        made = self.order.print_file
        file.seek(0)
        wanted = {
            "name": made.name, "bytes": made.file.size,
            "sha256": hashlib.file_digest(file, "sha256").hexdigest(),  # type: ignore[arg-type]
            "paper": self.order.paper, "copies": self.order.copies,
        }  # fmt: skip
        before = self.order.uncertain
        self._update(uncertain=True)
        try:
            placed = self.client.ask(
                "POST", "/v1/orders", ShopOrderAnswer, body=wanted, key=str(made.order_key)
            )
        except Retryable:
            self._update(uncertain=before)
            raise
        except Unknown as error:
            raise Unknown(f"{error} Whether the shop has this order is not known.") from error
        self._update(
            state=State.SENDING, number=placed.number, uncertain=False, news="",
            moved=timezone.now(),
        )  # fmt: skip

    def _upload(self, file: IO[bytes]) -> bool:
        """Send the file from the byte that the shop has not yet; return whether all of it is there."""
        total = self.order.print_file.file.size

        def arrived() -> int | None:
            here = self._asked()
            if here.state != "awaiting-file":
                return None
            if here.received / total != self.order.progress:
                self._update(progress=here.received / total, moved=timezone.now())
            return here.received

        return send_file(self.client, f"{self._at}/file", file, total, arrived, self.turn)

    def _answer(self) -> ShopOrderAnswer | None:
        """Return what the shop says once it has looked at the file; None while it has not."""
        while True:
            answer = self._asked()
            if answer.state in ("accepted", "refused"):
                return answer
            news = f"Number {answer.place} in the shop's queue." if answer.place else ""
            self._update(state=State.CHECKING, progress=1, news=news)
            if self.turn.over:
                return None
            time.sleep(sending.PAUSE_SECONDS)

    def _keep_proof(self) -> None:
        try:
            proof = self.client.content(f"{self._at}/proof", PROOF_BYTES)
        except ServiceError:
            return  # the order is settled without one
        self.order.proof.save(f"{self.order.pk}.png", ContentFile(proof), save=False)

    @property
    def _at(self) -> str:
        return f"/v1/orders/{self.order.number}"

    def _asked(self) -> ShopOrderAnswer:
        return self.client.ask("GET", self._at, ShopOrderAnswer)

    def _update(self, **fields: Any) -> None:
        if not ShopOrder.objects.filter(pk=self.order.pk).open().update(**fields):
            raise Deleted
        for name, value in fields.items():
            setattr(self.order, name, value)


def delete(order: ShopOrder) -> None:
    """Delete an order here; what the shop has, it has. Ordered again the same way it is the same order."""
    proof = order.proof
    order.delete()
    if proof:
        proof.storage.delete(proof.name)
