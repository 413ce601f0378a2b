"""Sending print files to a print shop, and what it says of them. What is spoken: docs/print-shop.md."""

import hashlib
import time
from dataclasses import dataclass
from datetime import timedelta
from typing import IO, Any
from uuid import UUID

import httpx
from django.conf import settings
from django.core.cache import cache
from django.core.files.base import ContentFile
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.schedule import address
from enamel.kiln import lines
from enamel.kiln.faults import told
from enamel.kiln.lines import Gone
from enamel.kiln.models import PrintFile, ShopOrder

LONGEST_WAIT = timedelta(minutes=10)
"""After which an order that has not moved is given up."""
PRICES_KEPT_SECONDS = 60
"""For so long a price list is not asked for again, nor a shop that did not answer."""
MOST_COPIES = 500
State = ShopOrder.State
PROOF_BYTES = 30_000_000


@dataclass(frozen=True, slots=True)
class ShopPaper:
    """A paper that the shop prints on."""

    name: str
    title: str
    cents_per_m2: int
    least_ppi: float


@dataclass(frozen=True, slots=True)
class PriceList:
    """What the shop prints on and asks for it."""

    currency: str
    papers: list[ShopPaper]


def price_list() -> PriceList | None:
    """What the shop prints on; None when it does not answer. Asked for once a minute at most."""
    key = f"prices-{address(settings.PRINT_SHOP)}"
    kept: tuple[PriceList | None] | None = cache.get(key)
    if kept is None:
        kept = (_asked_prices(),)
        cache.set(key, kept, PRICES_KEPT_SECONDS)
    return kept[0]


def _asked_prices() -> PriceList | None:
    try:
        with lines.client(settings.PRINT_SHOP, timeout=2.0) as client:
            given = client.get("/v1/price-list").raise_for_status().json()
        papers = [
            ShopPaper(one["name"], one["title"], one["cents_per_m2"], one["least_ppi"])
            for one in given["papers"]
        ]
        return PriceList(given["currency"], papers)
    except (httpx.HTTPError, ValueError, KeyError):
        return None


def order(print_file: PrintFile, paper: str, copies: int) -> ShopOrder:
    """An order that waits, for whose sending a job is wanted.

    Raises
    ------
    Refusal
        When the file is not written, or one of it is on its way.
    """
    if print_file.state != PrintFile.State.DONE or not print_file.file:
        raise Refusal("This file is not written yet; wait until it is, then send it.")
    if not 1 <= copies <= MOST_COPIES:
        raise Refusal(f"Copies: from 1 to {MOST_COPIES}.")
    if print_file.orders.open().exists():
        raise Refusal("This file is on its way to the shop already.")
    return ShopOrder.objects.create(print_file=print_file, paper=paper, copies=copies)


def send(order_id: UUID) -> float | None:
    """Get an order that is open on by some seconds: send it, ask for the shop's answer, keep that.

    Safe to repeat: the shop knows an order by its key, and goes on behind the last byte that arrived.

    Returns
    -------
    In how many seconds it wants to be got on; None once it is settled.
    """
    found = ShopOrder.objects.filter(pk=order_id).open().select_related("print_file").first()
    if found is None:
        return None
    try:
        with (
            lines.client(settings.PRINT_SHOP) as client,
            found.print_file.file.open("rb") as file,
        ):
            return _Sending(found, client, file).get_on()
    except Gone as gone:
        _end(found, State.FAILED, error=f"{gone} Nothing was ordered; send it again later.")
    except Exception as error:
        _end(found, State.FAILED, error=told(error, f"shop order {order_id}"))
    return None


class _Sending:
    """One order being sent."""

    def __init__(self, order: ShopOrder, client: httpx.Client, file: IO[bytes]) -> None:
        self.order = order
        self.line = lines.Line(client, "the shop", lambda words: self._tell(news=words))
        self.file = file
        self.arrived = 0

    def get_on(self) -> float | None:
        """As far as there is time for; gives the pause until the next turn, None at the end."""
        if timezone.now() - self.order.moved > LONGEST_WAIT:
            raise Gone("The shop did not get on with this file for ten minutes.")
        number = self.order.number
        if not number:
            placed = self._place()
            if isinstance(placed, float):
                return placed
            number = placed
            self._tell(state=State.SENDING, number=number, news="")
        if not self._upload(number):
            return 0.0
        said = self._answer(number)
        if said is None:
            return lines.PAUSE_SECONDS
        self._keep_proof(number)
        state = State.ACCEPTED if said["state"] == "accepted" else State.REFUSED
        _end(self.order, state, said=said, share=1)
        return None

    def _place(self) -> str | float:
        """Ask for the order: its number, or in how many seconds a busy shop wants to be asked again."""
        self.file.seek(0)
        digest = hashlib.file_digest(self.file, "sha256").hexdigest()  # type: ignore[arg-type]
        wanted = {
            "name": self.order.print_file.name, "bytes": self.order.print_file.file.size,
            "sha256": digest, "paper": self.order.paper, "copies": self.order.copies,
        }  # fmt: skip
        answer = self.line.ask("POST", "/v1/orders", json=wanted,
                               headers={"Idempotency-Key": str(self.order.pk)})  # fmt: skip
        if answer.status_code == httpx.codes.SERVICE_UNAVAILABLE:
            pause = lines.seconds_to_wait(answer)
            self._tell(news=f"The shop is busy; it is asked again in {pause:.0f} s.")
            return pause
        if answer.status_code == httpx.codes.UNPROCESSABLE_ENTITY:
            raise Refusal(f"The shop does not take this order: {lines.reason(answer)}")
        if answer.is_error:
            raise Gone(f"The shop answered {answer.status_code}: {lines.reason(answer)}")
        return str(answer.json()["number"])

    def _upload(self, number: str) -> bool:
        """Send the file from the byte that the shop has not yet; whether all of it is there."""
        total = self.order.print_file.file.size

        def arrived() -> int | None:
            here = self.line.ask("GET", f"/v1/orders/{number}").json()
            if here["state"] != "awaiting-file":
                return None
            start = int(here["received"])
            self._tell(share=start / total, **self._moved(start))
            return start

        return self.line.send(f"/v1/orders/{number}/file", self.file, total, arrived)

    def _moved(self, arrived: int) -> dict[str, Any]:
        """That the order has moved, when more has arrived than before."""
        before, self.arrived = self.arrived, arrived
        return {"moved": timezone.now()} if arrived > before else {}

    def _answer(self, number: str) -> dict[str, Any] | None:
        """What the shop says once it has looked at the file; None while it has not."""
        while True:
            said: dict[str, Any] = self.line.ask("GET", f"/v1/orders/{number}").json()
            if said["state"] in ("accepted", "refused"):
                return said
            place = said.get("place", 0)
            news = f"Number {place} in the shop's queue." if place else ""
            self._tell(state=State.CHECKING, share=1, news=news)
            if self.line.over:
                return None
            time.sleep(lines.PAUSE_SECONDS)

    def _keep_proof(self, number: str) -> None:
        answer = self.line.ask("GET", f"/v1/orders/{number}/proof")
        if answer.is_success and len(answer.content) <= PROOF_BYTES:
            self.order.proof.save(f"{self.order.pk}.png", ContentFile(answer.content), save=False)

    def _tell(self, **news: Any) -> None:
        if not ShopOrder.objects.filter(pk=self.order.pk).update(**news):
            raise Refusal("The order was taken back.")


def _end(order: ShopOrder, state: str, **news: Any) -> None:
    proof = {"proof": order.proof.name} if order.proof else {}
    ShopOrder.objects.filter(pk=order.pk).update(state=state, news="", **proof, **news)


def take_back(order: ShopOrder) -> None:
    """Forget an order here; what the shop has accepted, it has."""
    if order.proof:
        order.proof.storage.delete(order.proof.name)
    order.delete()
