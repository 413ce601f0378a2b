"""Serve the web application: `python -m enamel.server.serve`. One process; the supervisor runs several on
one socket.

The listening socket is the process's standard input, opened by the supervisor: a process that is killed
takes nothing with it, and its successor goes on at the same address.
"""

import asyncio
import socket
import sys

import uvicorn
from django.conf import settings
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_SECONDS = 15.0
"""Longest time until the head of a request is complete."""


class PromptProtocol(HttpToolsProtocol):
    """HTTP/1.1 that closes connections on which no request arrives."""

    _head_timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._await_head()

    def connection_lost(self, exc: Exception | None) -> None:
        self._head_came()
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        self._await_head()
        super().on_message_begin()

    def on_headers_complete(self) -> None:
        self._head_came()
        super().on_headers_complete()

    def _await_head(self) -> None:
        if self._head_timer is None:
            self._head_timer = self.loop.call_later(HEAD_SECONDS, self.transport.close)

    def _head_came(self) -> None:
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None


def configuration() -> uvicorn.Config:
    """Return uvicorn's configuration for Enamel."""
    from enamel.server.asgi import application  # sets Django up

    return uvicorn.Config(
        application,
        http=PromptProtocol,
        lifespan="off",
        access_log=False,
        server_header=False,
        timeout_graceful_shutdown=5,
        proxy_headers=bool(settings.PROXIES),
        forwarded_allow_ips=settings.PROXIES,
        backlog=512,
    )


def main() -> None:
    uvicorn.Server(configuration()).run(sockets=[socket.socket(fileno=sys.stdin.fileno())])


if __name__ == "__main__":
    main()
