"""The shop's service: orders on disk, and a queue in which files are inspected one at a time."""

import hashlib
import re
import threading
import time
import uuid
from pathlib import Path
from typing import Any

from devservices.orders import OrderBook
from devservices.shop.inspection import inspect
from devservices.shop.papers import PriceList, on_paper

AWAITING, QUEUED, CHECKING, ACCEPTED, REFUSED = (
    "awaiting-file", "queued", "checking", "accepted", "refused",
)  # fmt: skip
MOST_WAITING = 8
"""Most orders in the queue."""
LARGEST_FILE = 4_000_000_000
MOST_COPIES = 500
MOST_REASONS = 6
SHA256 = re.compile(r"[0-9a-f]{64}")


class Rejected(Exception):
    """The order is refused, with the reason."""


class Busy(Exception):
    """The queue is full."""


class Service:
    """Orders in a folder each: ``order.json``, ``file``, ``proof.png``."""

    def __init__(
        self, folder: Path, *, most_waiting: int = MOST_WAITING, slow: float = 0.0
    ) -> None:
        self.folder = folder
        self.prices = PriceList.read()
        self.most_waiting = most_waiting
        self.slow = slow
        self._orders = OrderBook(folder)
        for order in self._orders.all():
            if order["state"] in (QUEUED, CHECKING):
                self._orders.queue.put(order["number"])
        threading.Thread(target=self._work, daemon=True).start()

    def take(self, wanted: dict[str, Any], key: str) -> dict[str, Any]:
        """Return a new order, or the order placed before with the same key.

        Raises
        ------
        Rejected, Busy
        """
        with self._orders.lock:
            known = self._orders.known(key)
            if known:
                return known
            if self._orders.count((QUEUED, CHECKING)) >= self.most_waiting:
                raise Busy
            self._require(wanted)
            order = {
                "number": f"{time.strftime('%y%m%d')}-{uuid.uuid4().hex[:8]}", "key": key,
                "state": AWAITING, "name": wanted["name"], "bytes": wanted["bytes"],
                "sha256": wanted["sha256"], "paper": wanted["paper"], "copies": wanted["copies"],
                "reasons": [], "facts": {}, "price": None,
            }  # fmt: skip
            self._orders.keep(order)
            return order

    def _require(self, wanted: dict[str, Any]) -> None:
        names = [paper.name for paper in self.prices.papers]
        size, copies = wanted.get("bytes"), wanted.get("copies")
        if not isinstance(wanted.get("name"), str) or not 0 < len(wanted["name"]) <= 255:
            raise Rejected("name: say what the file is called.")
        if wanted.get("paper") not in names:
            raise Rejected(f"paper: we print on {', '.join(names)}.")
        if not isinstance(copies, int) or not 1 <= copies <= MOST_COPIES:
            raise Rejected(f"copies: from 1 to {MOST_COPIES}.")
        if not isinstance(size, int) or not 0 < size <= LARGEST_FILE:
            raise Rejected(f"bytes: files of up to {LARGEST_FILE / 1e9:.0f} GB are taken.")
        if not isinstance(wanted.get("sha256"), str) or not SHA256.fullmatch(wanted["sha256"]):
            raise Rejected("sha256: 64 hexadecimal digits of the file's checksum.")

    def order(self, number: str) -> dict[str, Any] | None:
        """Return an order with the received bytes of its file and its place in the queue."""
        order = self._orders.read(number)
        return order and order | {"received": self.received(number)}

    def file(self, number: str) -> Path:
        return self.folder / number / "file"

    def proof(self, number: str) -> Path:
        return self.folder / number / "proof.png"

    def received(self, number: str) -> int:
        path = self.file(number)
        return path.stat().st_size if path.exists() else 0

    def complete(self, number: str) -> bool:
        """Put an order in the queue once its file is complete; return whether its checksum is right."""
        order = self.order(number)
        assert order is not None
        digest = hashlib.sha256()
        with self.file(number).open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
        if digest.hexdigest() != order["sha256"]:
            self.file(number).unlink()
            return False
        self._orders.change(number, state=QUEUED)
        self._orders.queue.put(number)
        return True

    def _work(self) -> None:
        while True:
            number = self._orders.queue.get()
            order = self.order(number)
            if order is None:
                continue
            self._orders.change(number, state=CHECKING)
            time.sleep(self.slow)
            try:
                self._check(order)
            except Exception as error:  # whatever fails with a file, the next one is inspected
                self._orders.change(
                    number, state=REFUSED, reasons=[f"We could not open it: {error}"]
                )

    def _check(self, order: dict[str, Any]) -> None:
        number, paper = order["number"], self.prices.paper(order["paper"])
        assert paper is not None
        found = inspect(self.file(number), paper)
        if found.picture is not None:
            on_paper(found.picture, paper).save(self.proof(number))
        cents = self.prices.cents(paper, found.width_mm, found.height_mm, order["copies"])
        price = {"cents": cents, "currency": self.prices.currency} if not found.reasons else None
        state = REFUSED if found.reasons else ACCEPTED
        reasons = found.reasons[:MOST_REASONS]
        if len(found.reasons) > len(reasons):
            reasons.append(f"{len(found.reasons) - len(reasons)} more of the kind.")
        self._orders.change(number, state=state, reasons=reasons, facts=found.facts, price=price)
