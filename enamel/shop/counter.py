"""The shop's counter: its desk over HTTP on loopback."""

import json
import re
import threading
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from enamel.shop.desk import AWAITING, Busy, Desk, Turned

BLOCK = 1 << 20
MOST_JSON = 20_000
RETRY_SECONDS = 2
ORDER = re.compile(r"/v1/orders/([0-9a-f-]+)(/file|/proof)?")
RANGE = re.compile(r"bytes (\d+)-(\d+)/(\d+)")


class Counter(ThreadingHTTPServer):
    """Serves a desk.

    Parameters
    ----------
    busy : how many orders are answered with "busy" before the first is taken.
    break_after : bytes after which each order's connection is broken off once; 0 for never.
    """

    daemon_threads = True

    def __init__(self, port: int, desk: Desk, *, busy: int = 0, break_after: int = 0) -> None:
        super().__init__(("127.0.0.1", port), Conversation)
        self.desk = desk
        self.busy = busy
        self.break_after = break_after
        self.broken: set[str] = set()
        self.lock = threading.Lock()

    def is_busy(self) -> bool:
        with self.lock:
            self.busy -= 1
            return self.busy >= 0

    def breaks(self, number: str) -> bool:
        """Whether the connection of an order is broken off now; once for each."""
        with self.lock:
            if not self.break_after or number in self.broken:
                return False
            self.broken.add(number)
            return True


class Conversation(BaseHTTPRequestHandler):
    """One connection."""

    server: Counter
    protocol_version = "HTTP/1.1"
    timeout = 60

    def log_message(self, form: str, *given: object) -> None:
        pass

    def do_GET(self) -> None:
        if self.path == "/v1/price-list":
            self._answer(HTTPStatus.OK, self._price_list())
            return
        number, part = self._asked()
        order = self.server.desk.order(number) if number else None
        if order is None:
            self._refuse(HTTPStatus.NOT_FOUND, "There is no such order.")
        elif part == "/proof":
            self._send_proof(number)
        else:
            self._answer(HTTPStatus.OK, _shown(order))

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        if self.path != "/v1/orders" or length > MOST_JSON:
            self._refuse(HTTPStatus.NOT_FOUND, "Orders go to /v1/orders.")
            return
        body = self.rfile.read(length)
        try:
            wanted = json.loads(body)
            if self.server.is_busy():
                raise Busy
            order = self.server.desk.take(wanted, self.headers.get("Idempotency-Key", ""))
        except Busy:
            self._refuse(HTTPStatus.SERVICE_UNAVAILABLE, "We are busy; come back in a moment.",
                         {"Retry-After": str(RETRY_SECONDS)})  # fmt: skip
        except (ValueError, AttributeError):
            self._refuse(HTTPStatus.BAD_REQUEST, "An order is a JSON object.")
        except Turned as turned:
            self._refuse(HTTPStatus.UNPROCESSABLE_ENTITY, str(turned))
        else:
            self._answer(
                HTTPStatus.CREATED, _shown(self.server.desk.order(order["number"]) or order)
            )

    def do_PUT(self) -> None:
        number, part = self._asked()
        desk = self.server.desk
        order = desk.order(number) if number and part == "/file" else None
        found = RANGE.fullmatch(self.headers.get("Content-Range", ""))
        length = int(self.headers.get("Content-Length") or 0)
        if order is None or order["state"] != AWAITING:
            self._refuse(HTTPStatus.CONFLICT, "This order awaits no file.")
            return
        first, last, total = (
            (int(one) for one in found.groups()) if found else (0, length - 1, length)
        )
        here = desk.received(number)
        if first != here or total != order["bytes"] or last - first + 1 != length or last >= total:
            self._refuse(HTTPStatus.CONFLICT, f"Go on at byte {here}.")
            return
        with desk.file(number).open("ab") as file:
            left = length
            while left:
                block = self.rfile.read(min(BLOCK, left))
                if not block:
                    return  # the line is dead; what came is kept
                file.write(block)
                left -= len(block)
                if file.tell() >= self.server.break_after and self.server.breaks(number):
                    file.flush()
                    self.close_connection = True
                    self.connection.close()
                    return
        if desk.received(number) == total and not desk.complete(number):
            self._refuse(
                HTTPStatus.UNPROCESSABLE_ENTITY, "The checksum is not the file's; send it again."
            )
            return
        self._answer(HTTPStatus.OK, _shown(desk.order(number) or order))

    def _asked(self) -> tuple[str, str]:
        found = ORDER.fullmatch(self.path)
        return (found[1], found[2] or "") if found else ("", "")

    def _price_list(self) -> dict[str, Any]:
        prices = self.server.desk.prices
        return {
            "currency": prices.currency, "setup_cents": prices.setup_cents,
            "papers": [
                {"name": one.name, "title": one.title, "least_ppi": one.least_ppi,
                 "most_ink": one.most_ink, "bleed_mm": one.bleed_mm, "widest_mm": one.widest_mm,
                 "cents_per_m2": one.cents_per_m2}
                for one in prices.papers
            ],
        }  # fmt: skip

    def _send_proof(self, number: str) -> None:
        path: Path = self.server.desk.proof(number)
        if not path.exists():
            self._refuse(HTTPStatus.NOT_FOUND, "There is no proof of this order.")
            return
        self._begin(HTTPStatus.OK, "image/png", path.stat().st_size, {})
        self.wfile.write(path.read_bytes())

    def _answer(
        self, status: HTTPStatus, form: dict[str, Any], headers: dict[str, str] | None = None
    ) -> None:
        data = json.dumps(form).encode()
        self._begin(status, "application/json", len(data), headers or {})
        self.wfile.write(data)

    def _refuse(
        self, status: HTTPStatus, words: str, headers: dict[str, str] | None = None
    ) -> None:
        self.close_connection = (
            True  # what was not read of the request must not be taken for the next
        )
        self._answer(status, {"reason": words}, {"Connection": "close"} | (headers or {}))

    def _begin(self, status: HTTPStatus, kind: str, length: int, headers: dict[str, str]) -> None:
        self.send_response(status)
        for name, value in {"Content-Type": kind, "Content-Length": str(length), **headers}.items():
            self.send_header(name, value)
        self.end_headers()


def _shown(order: dict[str, Any]) -> dict[str, Any]:
    """An order as the other side sees it."""
    return {name: value for name, value in order.items() if name not in ("key", "sha256")}
