"""The shop's service over HTTP on loopback."""

import re
from http import HTTPStatus
from pathlib import Path
from typing import Any

from devservices import http
from devservices.shop.service import AWAITING, Busy, Rejected, Service

RETRY_SECONDS = 2
ORDER = re.compile(r"/v1/orders/([0-9a-f-]+)(/file|/proof)?")


class Server(http.Server):
    """Serve a service over HTTP; its modes are those of every stand-in."""

    def __init__(self, port: int, service: Service, **moods: Any) -> None:
        super().__init__(port, Conversation, **moods)
        self.service = service


class Conversation(http.Conversation):
    """One connection."""

    server: Server

    def do_GET(self) -> None:
        if self.path == "/v1/price-list":
            self.answer(HTTPStatus.OK, self._price_list())
            return
        number, part = self._asked()
        order = self.server.service.order(number) if number else None
        if order is None:
            self.refuse(HTTPStatus.NOT_FOUND, "There is no such order.")
        elif part == "/proof":
            self._send_proof(number)
        else:
            self.answer(HTTPStatus.OK, _shown(order))

    def do_POST(self) -> None:
        if self.path != "/v1/orders":
            self.refuse(HTTPStatus.NOT_FOUND, "Orders go to /v1/orders.")
            return
        try:
            wanted = self.sent_json()
            if self.server.is_busy():
                raise Busy
            order = self.server.service.take(wanted, self.headers.get("Idempotency-Key", ""))
        except Busy:
            self.refuse(HTTPStatus.SERVICE_UNAVAILABLE, "We are busy; come back in a moment.",
                        {"Retry-After": str(RETRY_SECONDS)})  # fmt: skip
        except (ValueError, AttributeError):
            self.refuse(HTTPStatus.BAD_REQUEST, "An order is a JSON object.")
        except Rejected as turned:
            self.refuse(HTTPStatus.UNPROCESSABLE_ENTITY, str(turned))
        else:
            self.answer(
                HTTPStatus.CREATED, _shown(self.server.service.order(order["number"]) or order)
            )

    def do_PUT(self) -> None:
        number, part = self._asked()
        service = self.server.service
        order = service.order(number) if number and part == "/file" else None
        if order is None or order["state"] != AWAITING:
            self.refuse(HTTPStatus.CONFLICT, "This order awaits no file.")
        elif self.take_part(service.file(number), order["bytes"], number):
            if service.received(number) == order["bytes"] and not service.complete(number):
                self.refuse(
                    HTTPStatus.UNPROCESSABLE_ENTITY,
                    "The checksum is not the file's; send it again.",
                )
            else:
                self.answer(HTTPStatus.OK, _shown(service.order(number) or order))

    def _asked(self) -> tuple[str, str]:
        found = ORDER.fullmatch(self.path)
        return (found[1], found[2] or "") if found else ("", "")

    def _price_list(self) -> dict[str, Any]:
        prices = self.server.service.prices
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
        path: Path = self.server.service.proof(number)
        if not path.exists():
            self.refuse(HTTPStatus.NOT_FOUND, "There is no proof of this order.")
            return
        self.begin(HTTPStatus.OK, "image/png", path.stat().st_size, {})
        self.wfile.write(path.read_bytes())


def _shown(order: dict[str, Any]) -> dict[str, Any]:
    """Return an order as clients see it."""
    return {name: value for name, value in order.items() if name not in ("key", "sha256")}
