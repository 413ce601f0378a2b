"""The bureau's service: offers, orders on disk, a queue, one coat at a time."""

import hashlib
import json
import logging
import re
import shutil
import threading
import time
import uuid
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from devservices.bureau.ledger import BEGINNING_CENTS, RETURNED, TAKEN, Ledger, TooLittle
from devservices.bureau.rendering import Render, render
from devservices.bureau.terms import Terms, unknown
from devservices.orders import OrderBook
from enamel.core.errors import Refusal, Stopped
from enamel.core.files import hash_of, whole_file
from enamel.core.geometry import Size
from enamel.core.pipeline.pace import Paces
from enamel.core.pipeline.predict import predict
from enamel.core.schedule import Coat, Schedule

logger = logging.getLogger(__name__)

AWAITING, QUEUED, RENDERING, DONE, FAILED, CANCELLED = (
    "awaiting-files", "queued", "rendering", "done", "failed", "cancelled",
)  # fmt: skip
MOST_WAITING = 8
"""Most orders in the queue."""
LARGEST_FILE = 4_000_000_000
LONGEST_SIDE = 32_000
SHA256 = re.compile(r"[0-9a-f]{64}")
KNOWN_NAME = re.compile(r"[0-9a-f-]{1,40}")


class Rejected(Exception):
    """The request is refused, with a reason in words and a code for programs."""

    def __init__(self, code: str, reason: str) -> None:
        super().__init__(reason)
        self.code = code


class Busy(Exception):
    """The queue is full."""


class Service:
    """Offers and orders in a folder; ``order.json``, the files by role, and ``result.png`` for each.

    Parameters
    ----------
    render : lays the coats.
    """

    def __init__(
        self,
        folder: Path,
        *,
        terms: Terms | None = None,
        render: Render = render,
        beginning_cents: int = BEGINNING_CENTS,
    ) -> None:
        self.terms = terms or Terms()
        self._folder = folder
        self._render = render
        self._orders = OrderBook(folder / "orders")
        (folder / "offers").mkdir(parents=True, exist_ok=True)
        self.ledger = Ledger(folder / "account.json", beginning_cents)
        self._delete_expired()
        for order in self._orders.all():
            if order["state"] in (QUEUED, RENDERING):
                self._orders.change(order["number"], state=QUEUED)
                self._orders.queue.put(order["number"])
        threading.Thread(target=self._work, daemon=True).start()

    # offers -----------------------------------------------------------------------------------

    def offer(self, asked: Mapping[str, Any]) -> dict[str, Any]:
        """Return an offer for a coat on a picture of some size: price, time, and until when it holds.

        Raises
        ------
        Rejected
        """
        start, coat = self._start(asked), self._coat(asked.get("coat"))
        missing = unknown(coat)
        if missing:
            names = ", ".join(missing)
            raise Rejected(
                "model-unknown", f"We do not have {names}; we only fire with our own models."
            )
        try:
            size = coat.size_from(start)
            cost = predict(Schedule((coat,)), start, Paces())
        except Refusal as refusal:
            raise Rejected("coat", str(refusal)) from refusal
        if size.megapixels > self.terms.largest_megapixels:
            raise Rejected(
                "too-large",
                f"{size.megapixels:.0f} megapixels are too large; we make up to "
                f"{self.terms.largest_megapixels:.0f}.",
            )
        offer = {
            "number": uuid.uuid4().hex, "width": size.width, "height": size.height,
            "cents": self.terms.cents(cost.megapixel_steps, size.megapixels),
            "currency": self.terms.currency, "seconds": round(cost.seconds, 1),
            "expires": time.time() + self.terms.offer_seconds,
            "coat": _form(coat), "start": list(start),
        }  # fmt: skip
        with whole_file(self._folder / "offers" / f"{offer['number']}.json") as partial:
            partial.write_text(json.dumps(offer))
        return offer

    def _start(self, asked: Mapping[str, Any]) -> Size:
        sides = asked.get("width"), asked.get("height")
        if not all(isinstance(side, int) and 16 <= side <= LONGEST_SIDE for side in sides):
            raise Rejected("size", f"width, height: whole numbers from 16 to {LONGEST_SIDE} px.")
        return Size(*(int(side) for side in sides if side))

    def _coat(self, given: Any) -> Coat:
        try:
            return Coat.from_json(given)
        except Refusal as refusal:
            raise Rejected("coat", str(refusal)) from refusal

    def _offered(self, number: Any) -> dict[str, Any]:
        path = self._folder / "offers" / f"{number}.json"
        if not isinstance(number, str) or not KNOWN_NAME.fullmatch(number) or not path.exists():
            raise Rejected("offer", "There is no such offer; ask for one.")
        offer: dict[str, Any] = json.loads(path.read_text())
        if time.time() > offer["expires"]:
            raise Rejected("expired", "The offer has expired; ask for another.")
        return offer

    # orders -----------------------------------------------------------------------------------

    def take(self, wanted: Mapping[str, Any], key: str) -> dict[str, Any]:
        """Return a new, charged order on an offer, or the order placed before with the same key.

        Raises
        ------
        Rejected, Busy
        """
        with self._orders.lock:
            known = self._orders.known(key)
            if known:
                return known
            offer = self._offered(wanted.get("offer"))
            coat = self._coat(wanted.get("coat"))
            if _form(coat.bare) != _form(Coat.from_json(offer["coat"]).bare):
                raise Rejected(
                    "coat", "This is not the coat that was offered; ask for another offer."
                )
            files = self._files(wanted.get("files"), coat)
            if self._orders.count((QUEUED, RENDERING)) >= MOST_WAITING:
                raise Busy
            # a number made from the key, so that not even a crash in between charges twice
            number = hashlib.sha256(key.encode()).hexdigest()[:16]
            try:
                self.ledger.charge(number, offer["cents"])
            except TooLittle:
                raise Rejected(
                    "balance", "There is not enough on the account for this offer."
                ) from None
            order = {
                "number": number, "key": key, "state": AWAITING, "progress": 0.0, "coat": _form(coat),
                "files": files, "start": offer["start"], "width": offer["width"],
                "height": offer["height"], "cents": offer["cents"], "reason": "", "result": None,
            }  # fmt: skip
            self._orders.keep(order)
            return order

    def _files(self, given: Any, coat: Coat) -> dict[str, dict[str, Any]]:
        """Return the files that the client has to send, by role."""
        roles = {"layer"} | ({"base"} if coat.refinement and coat.refinement.needs_base else set())
        if not isinstance(given, dict) or set(given) != roles:
            raise Rejected("files", f"files: say what is sent as {' and '.join(sorted(roles))}.")
        found = {}
        for role, file in given.items():
            size = file.get("bytes") if isinstance(file, dict) else None
            digest = file.get("sha256") if isinstance(file, dict) else None
            if not isinstance(size, int) or not 0 < size <= LARGEST_FILE:
                raise Rejected(
                    "files", f"{role}.bytes: up to {LARGEST_FILE / 1e9:.0f} GB are taken."
                )
            if not isinstance(digest, str) or not SHA256.fullmatch(digest):
                raise Rejected("files", f"{role}.sha256: 64 hexadecimal digits.")
            found[role] = {"bytes": size, "sha256": digest}
        return found

    def order(self, number: str) -> dict[str, Any] | None:
        """Return an order with the received bytes of its files, its place in the queue, and its price."""
        order = self._orders.read(number) if KNOWN_NAME.fullmatch(number) else None
        if order is None:
            return None
        for role, file in order["files"].items():
            file["received"] = _bytes(self.file(number, role))
        return order | {"charged_cents": self.ledger.charged(number)}

    def file(self, number: str, role: str) -> Path:
        return self._folder / "orders" / number / f"{role}.png"

    def result(self, number: str) -> Path:
        return self._folder / "orders" / number / "result.png"

    def complete(self, number: str, role: str) -> bool:
        """Complete a file; return whether its checksum is right. The last one puts the order in the queue."""
        with self._orders.lock:
            order = self.order(number)
            assert order is not None
            if hash_of(self.file(number, role)) != order["files"][role]["sha256"]:
                self.file(number, role).unlink()
                return False
            whole = all(file["received"] == file["bytes"] for file in order["files"].values())
            if whole and order["state"] == AWAITING:
                self._orders.change(number, state=QUEUED)
                self._orders.queue.put(number)
        return True

    def cancel(self, number: str) -> None:
        """Cancel an order; it costs nothing while it is not done."""
        with self._orders.lock:
            order = self.order(number)
            if order is not None and order["state"] in (AWAITING, QUEUED, RENDERING):
                self.ledger.settle(number, RETURNED)
                self._orders.change(number, state=CANCELLED)

    def _delete_expired(self) -> None:
        """Delete the pictures of old orders."""
        for order in self._orders.all():
            age = time.time() - self._orders.path(order["number"]).stat().st_mtime
            if age > self.terms.kept_days * 86_400:
                self._release(order["number"])

    def _release(self, number: str) -> None:
        """Delete an order's pictures; its record stays."""
        for path in self._orders.path(number).parent.iterdir():
            if path.is_dir():
                shutil.rmtree(path)
            elif path.suffix == ".png":
                path.unlink()

    # work -------------------------------------------------------------------------------------

    def _work(self) -> None:
        while True:
            number = self._orders.queue.get()
            try:
                self._lay(number)
            except Exception as error:  # whatever fails in an order, the next one is carried out
                meant = isinstance(error, Refusal)
                if not meant:
                    logger.exception("order %s", number)
                reason = str(error) if meant else "Something broke on our side."
                self.ledger.settle(number, RETURNED)
                self._orders.change(number, state=FAILED, reason=reason)

    def _lay(self, number: str) -> None:
        order = self.order(number)
        if order is None or order["state"] != QUEUED:
            return
        self._orders.change(number, state=RENDERING)
        base = self.file(number, "base") if "base" in order["files"] else None
        try:
            self._render(
                Coat.from_json(order["coat"]), self.file(number, "layer"), base,
                self.result(number),
                lambda progress: self._orders.change(number, progress=round(progress, 4)),
                lambda: self._state(number) == CANCELLED,
            )  # fmt: skip
        except Stopped:
            self._release(number)
            return
        path = self.result(number)
        with self._orders.lock:
            if self._state(number) == RENDERING:
                result = {"bytes": _bytes(path), "sha256": hash_of(path)}
                self._orders.change(number, state=DONE, progress=1.0, result=result)
                self.ledger.settle(number, TAKEN)

    def _state(self, number: str) -> str:
        order = self._orders.read(number)
        assert order is not None
        return str(order["state"])


def _form(coat: Coat) -> dict[str, Any]:
    (form,) = Schedule((coat,)).to_json()["coats"]
    return dict(form)


def _bytes(path: Path) -> int:
    return path.stat().st_size if path.exists() else 0
