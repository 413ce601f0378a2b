"""HTTP for the stand-ins of external services: answers, refusals, files received in parts, and modes in
which they misbehave.
"""

import json
import re
import threading
import time
from contextlib import suppress
from enum import StrEnum
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

BLOCK = 1 << 20
MOST_JSON = 1_000_000
RANGE = re.compile(r"bytes (\d+)-(\d+)/(\d+)")


class Mode(StrEnum):
    """How a stand-in answers all requests."""

    NORMAL = "normal"
    FAILING = "failing"
    """500, with a reason."""
    SLOW = "slow"
    """A byte now and then, without end."""
    OVERSIZED = "oversized"
    """An answer without end."""
    LYING = "lying"
    """200, with JSON that is not the expected answer."""
    GONE = "gone"
    """The connection is broken off."""


OVERSIZED_BYTES = 64 << 20
SLOW_SECONDS = 60


class Server(ThreadingHTTPServer):
    """An HTTP server that can be made to fail in stated ways.

    Parameters
    ----------
    mode : how it answers; it can be changed while it runs. busy : how many orders are answered with
    "busy" before the first is taken. break_after : bytes after which the connection of each file that is
    sent to it is broken off once; 0 for never.
    """

    daemon_threads = True

    def __init__(
        self,
        port: int,
        conversation: type["Conversation"],
        *,
        mode: Mode = Mode.NORMAL,
        busy: int = 0,
        break_after: int = 0,
    ) -> None:
        super().__init__(("127.0.0.1", port), conversation)
        self.mode = mode
        self.busy = busy
        self.break_after = break_after
        self.broken: set[str] = set()
        self.lock = threading.Lock()

    def is_busy(self) -> bool:
        with self.lock:
            self.busy -= 1
            return self.busy >= 0

    def breaks(self, what: str) -> bool:
        """Return whether the connection is to be broken off now; once for each subject."""
        with self.lock:
            if what in self.broken:
                return False
            self.broken.add(what)
            return True


class Conversation(BaseHTTPRequestHandler):
    """One connection."""

    server: Server
    protocol_version = "HTTP/1.1"
    timeout = 60

    def log_message(self, form: str, *given: object) -> None:
        pass

    def parse_request(self) -> bool:
        """Read the head of a request; return whether the request is answered normally."""
        if not super().parse_request():
            return False
        if self.server.mode is Mode.NORMAL:
            return True
        with suppress(OSError):  # the client may have disconnected
            self._misbehave(self.server.mode)
        self.close_connection = True
        return False

    def _misbehave(self, mode: Mode) -> None:
        if mode is Mode.FAILING:
            self.refuse(HTTPStatus.INTERNAL_SERVER_ERROR, "Something broke here.")
        elif mode is Mode.LYING:
            self.answer(HTTPStatus.OK, {"number": ["1"], "state": "of the art", "cents": "-1"})
        elif mode is Mode.GONE:
            self.break_off()
        else:
            self.begin(HTTPStatus.OK, "application/json", 2 * OVERSIZED_BYTES, {})
            if mode is Mode.OVERSIZED:
                for _ in range(0, OVERSIZED_BYTES, BLOCK):
                    self.wfile.write(b" " * BLOCK)
            for _ in range(SLOW_SECONDS if mode is Mode.SLOW else 0):
                self.wfile.write(b" ")
                self.wfile.flush()
                time.sleep(1)

    def sent_json(self) -> Any:
        """Return the JSON that was sent.

        Raises
        ------
        ValueError
            When it is not JSON, or too long.
        """
        length = int(self.headers.get("Content-Length") or 0)
        if length > MOST_JSON:
            raise ValueError
        return json.loads(self.rfile.read(length))

    def take_part(self, path: Path, total: int, what: str) -> bool:
        """Append a part to a file; return whether the part arrived completely.

        A part that does not begin where the last one ended is refused.

        Parameters
        ----------
        total : bytes of the whole file.
        what : the subject for `breaks`.
        """
        found = RANGE.fullmatch(self.headers.get("Content-Range", ""))
        length = int(self.headers.get("Content-Length") or 0)
        first, last, total_stated = (
            (int(one) for one in found.groups()) if found else (0, length - 1, length)
        )
        here = path.stat().st_size if path.exists() else 0
        if first != here or total_stated != total or last - first + 1 != length or last >= total:
            self.refuse(HTTPStatus.CONFLICT, f"Go on at byte {here}.")
            return False
        after = self.server.break_after
        with path.open("ab") as file:
            left = length
            while left:
                block = self.rfile.read(min(BLOCK, left))
                if not block:
                    return False  # the connection is dead; what arrived is kept
                file.write(block)
                left -= len(block)
                if after and file.tell() >= after and self.server.breaks(what):
                    file.flush()
                    self.break_off()
                    return False
        return True

    def break_off(self) -> None:
        """Break the connection in the middle of an answer."""
        self.close_connection = True
        self.connection.close()

    def answer(
        self, status: HTTPStatus, form: dict[str, Any], headers: dict[str, str] | None = None
    ) -> None:
        data = json.dumps(form).encode()
        self.begin(status, "application/json", len(data), headers or {})
        self.wfile.write(data)

    def refuse(
        self,
        status: HTTPStatus,
        words: str,
        headers: dict[str, str] | None = None,
        **more: Any,
    ) -> None:
        # the unread rest of the request must not be taken for the next one
        self.close_connection = True
        self.answer(status, {"reason": words} | more, {"Connection": "close"} | (headers or {}))

    def begin(self, status: HTTPStatus, kind: str, length: int, headers: dict[str, str]) -> None:
        self.send_response(status)
        for name, value in {"Content-Type": kind, "Content-Length": str(length), **headers}.items():
            self.send_header(name, value)
        self.end_headers()
