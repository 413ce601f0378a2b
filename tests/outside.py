"""A service outside that misbehaves on purpose: slow, endless, lying, broken."""

import json
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any


@dataclass
class Reply:
    """What the service answers, and how.

    Parameters
    ----------
    body : bytes, or what gives them one after the other, without end if need be; JSON of anything else.
    lost : whether the connection is broken off instead of answering.
    """

    status: int = 200
    body: Any = b""
    headers: dict[str, str] = field(default_factory=dict)
    lost: bool = False


Behave = Callable[[str, str, dict[str, str], bytes], Reply]
"""Method, path, headers and body of a request, and what is answered."""


@contextmanager
def service(behave: Behave) -> Iterator[str]:
    """A service on a free port of this machine; gives its address."""

    class Handler(BaseHTTPRequestHandler):
        def log_message(self, *given: object) -> None:
            pass

        def _answer(self) -> None:
            body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            reply = behave(self.command, self.path, dict(self.headers), body)
            if reply.lost:
                self.connection.close()
                return
            content = reply.body
            if not isinstance(content, bytes) and not hasattr(content, "__next__"):
                content = json.dumps(content).encode()
            with suppress(OSError):
                self.send_response(reply.status)
                for name, value in reply.headers.items():
                    self.send_header(name, value)
                if isinstance(content, bytes):
                    self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                for block in [content] if isinstance(content, bytes) else content:
                    self.wfile.write(block)
                    self.wfile.flush()

        do_GET = do_POST = do_PUT = do_DELETE = _answer

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.daemon_threads = True
    server.handle_error = lambda *given: None  # type: ignore[method-assign]
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}"
    server.shutdown()
    server.server_close()
