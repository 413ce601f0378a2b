"""The bureau's service over HTTP on loopback."""

import hmac
import re
import time
from http import HTTPStatus
from pathlib import Path
from typing import Any

from devservices import http
from devservices.bureau.service import AWAITING, DONE, Busy, Rejected, Service

RETRY_SECONDS = 2
ORDER = re.compile(r"/v1/orders/([0-9a-f-]+)(?:/(result)|/files/(layer|base))?")
FROM = re.compile(r"bytes=(\d+)-")
STATUS = {"balance": HTTPStatus.PAYMENT_REQUIRED, "expired": HTTPStatus.GONE}
"""Status codes of refusals; all others are 422."""


class Server(http.Server):
    """Serve a service over HTTP.

    Parameters
    ----------
    key : the key that requests have to carry.
    lose_answers : how many orders are taken without their answer arriving.
    break_result_after : bytes after which the connection of each result is broken off once; 0 for never.
    spoil : how many times a result is sent with a wrong byte.
    moods : as for every stand-in.
    """

    def __init__(
        self,
        port: int,
        service: Service,
        key: str,
        *,
        lose_answers: int = 0,
        break_result_after: int = 0,
        spoil: int = 0,
        **moods: Any,
    ) -> None:
        super().__init__(port, Conversation, **moods)
        self.service = service
        self.key = key
        self.lose_answers = lose_answers
        self.break_result_after = break_result_after
        self.spoil = spoil

    def once_less(self, mood: str) -> bool:
        """Return whether a misbehaviour still applies; each use counts it down."""
        with self.lock:
            left: int = getattr(self, mood)
            setattr(self, mood, left - 1)
            return left > 0


class Conversation(http.Conversation):
    """One connection."""

    server: Server

    def do_GET(self) -> None:
        if not self._known():
            return
        service = self.server.service
        if self.path == "/v1/terms":
            self.answer(HTTPStatus.OK, service.terms.to_json())
        elif self.path == "/v1/account":
            self.answer(
                HTTPStatus.OK, service.ledger.shown() | {"currency": service.terms.currency}
            )
        else:
            number, result, _ = self._asked()
            order = service.order(number) if number else None
            if order is None:
                self.refuse(HTTPStatus.NOT_FOUND, "There is no such order.")
            elif result:
                self._send_result(order)
            else:
                self.answer(HTTPStatus.OK, _shown(order))

    def do_POST(self) -> None:
        if not self._known():
            return
        service = self.server.service
        try:
            wanted = self.sent_json()
            if not isinstance(wanted, dict):
                raise ValueError
            if self.path == "/v1/offers":
                offer = service.offer(wanted)
                terms = {name: offer[name] for name in offer if name not in ("coat", "start")}
                terms["expires_in"] = round(offer["expires"] - time.time(), 1)
                self.answer(HTTPStatus.CREATED, terms)
            elif self.path == "/v1/orders":
                self._take(wanted)
            else:
                self.refuse(HTTPStatus.NOT_FOUND, "Ask at /v1/offers or /v1/orders.")
        except Rejected as turned:
            status = STATUS.get(turned.code, HTTPStatus.UNPROCESSABLE_ENTITY)
            self.refuse(status, str(turned), code=turned.code)
        except ValueError:
            self.refuse(HTTPStatus.BAD_REQUEST, "Say it as a JSON object.", code="form")

    def _take(self, wanted: dict[str, Any]) -> None:
        key = self.headers.get("Idempotency-Key", "")
        if not key:
            raise Rejected("key", "An order needs an Idempotency-Key, so that it is charged once.")
        try:
            if self.server.is_busy():
                raise Busy
            order = self.server.service.take(wanted, key)
        except Busy:
            self.refuse(HTTPStatus.SERVICE_UNAVAILABLE, "We are busy; come back in a moment.",
                        {"Retry-After": str(RETRY_SECONDS)}, code="busy")  # fmt: skip
            return
        if self.server.once_less("lose_answers"):
            self.break_off()
            return
        self.answer(HTTPStatus.CREATED, _shown(self.server.service.order(order["number"]) or order))

    def do_PUT(self) -> None:
        if not self._known():
            return
        number, _, role = self._asked()
        service = self.server.service
        order = service.order(number) if number and role else None
        if order is None or order["state"] != AWAITING or role not in order["files"]:
            self.refuse(HTTPStatus.CONFLICT, "This order awaits no such file.")
            return
        total = order["files"][role]["bytes"]
        if self.take_part(service.file(number, role), total, f"{number} {role}"):
            arrived = service.file(number, role).stat().st_size
            if arrived == total and not service.complete(number, role):
                self.refuse(HTTPStatus.UNPROCESSABLE_ENTITY,
                            "The checksum is not the file's; send it again.", code="checksum")  # fmt: skip
            else:
                self.answer(HTTPStatus.OK, _shown(service.order(number) or order))

    def do_DELETE(self) -> None:
        if not self._known():
            return
        number, result, role = self._asked()
        order = self.server.service.order(number) if number and not (result or role) else None
        if order is None:
            self.refuse(HTTPStatus.NOT_FOUND, "There is no such order.")
            return
        self.server.service.cancel(number)
        self.answer(HTTPStatus.OK, _shown(self.server.service.order(number) or order))

    def _known(self) -> bool:
        """Return whether the request has the account's key; if not, answer that."""
        given = self.headers.get("Authorization", "").removeprefix("Bearer ")
        if hmac.compare_digest(given.encode(), self.server.key.encode()):
            return True
        self.refuse(HTTPStatus.UNAUTHORIZED, "We do not know this key.", code="key")
        return False

    def _asked(self) -> tuple[str, str, str]:
        """Return from the address the order's number, whether its result is meant, and the file's role."""
        found = ORDER.fullmatch(self.path)
        return (found[1], found[2] or "", found[3] or "") if found else ("", "", "")

    def _send_result(self, order: dict[str, Any]) -> None:
        """Send the result, or the rest of it from a byte on."""
        if order["state"] != DONE:
            self.refuse(HTTPStatus.CONFLICT, "There is no result of this order.")
            return
        path: Path = self.server.service.result(order["number"])
        total = path.stat().st_size
        found = FROM.fullmatch(self.headers.get("Range", ""))
        start = min(int(found[1]), total) if found else 0
        status = HTTPStatus.PARTIAL_CONTENT if found else HTTPStatus.OK
        span = {"Content-Range": f"bytes {start}-{total - 1}/{total}"} if found else {}
        self.begin(status, "image/png", total - start, span)
        after, at = self.server.break_result_after, start
        spoilt = self.server.once_less("spoil")
        with path.open("rb") as file:
            file.seek(start)
            while block := file.read(http.BLOCK if not after else max(1, after // 2)):
                sent = bytes([block[0] ^ 1]) + block[1:] if spoilt and at == start else block
                self.wfile.write(sent)
                at += len(block)
                if after and at >= after and self.server.breaks(f"{order['number']} result"):
                    self.wfile.flush()
                    self.break_off()
                    return


def _shown(order: dict[str, Any]) -> dict[str, Any]:
    """Return an order as clients see it, without what they sent."""
    return {name: value for name, value in order.items() if name not in ("key", "coat", "start")}
