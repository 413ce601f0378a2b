"""Answer requests in a few threads, each request wholly in one of them.

Django itself hands every request back and forth between the event loop and a separate thread, and with
fifty artists those threads wait for each other. Files and notifications are streamed outside of these
threads.
"""

import asyncio
import contextvars
import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import Any

from asgiref.sync import sync_to_async
from django.core.exceptions import RequestAborted
from django.core.handlers.asgi import ASGIHandler, get_script_prefix
from django.core.handlers.base import BaseHandler
from django.core.signals import request_started
from django.db import connections
from django.http import FileResponse, HttpRequest, HttpResponseBase
from django.urls import set_script_prefix

LOOKING = int(os.environ.get("ENAMEL_WEB_THREADS", "2"))
"""Threads for reading requests. Python runs one thread at a time, so more threads make all of them later;
with two, one works while the other waits for the database.
"""
DOING = 6
"""Threads for changing requests, such as importing a file: they may take seconds."""


class Handler(ASGIHandler):
    """Django as an ASGI application."""

    def __init__(self) -> None:
        BaseHandler.__init__(self)
        self.load_middleware(is_async=False)
        self._looking = ThreadPoolExecutor(LOOKING, "looking")
        self._doing = ThreadPoolExecutor(DOING, "doing")

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] == "http":
            await self.handle(scope, receive, send)

    async def handle(self, scope: Any, receive: Any, send: Any) -> None:
        try:
            body = await self.read_body(receive)
        except RequestAborted:
            return
        try:
            set_script_prefix(get_script_prefix(scope))
            request, refused = self.create_request(scope, body)
            if request is None:
                assert refused is not None
                await self.send_response(refused, send)
                return
            response = await self.run_get_response(request)
            if not response.streaming:
                await self.send_response(response, send)
                return
            sending = asyncio.create_task(self.send_response(response, send))
            leaving = asyncio.create_task(self.listen_for_disconnect(receive))
            await asyncio.wait({sending, leaving}, return_when=asyncio.FIRST_COMPLETED)
            for task in (leaving, sending):
                task.cancel()  # nothing to one that is done
                with suppress(asyncio.CancelledError, RequestAborted):
                    await task
            await sync_to_async(response.close, thread_sensitive=False)()
        finally:
            body.close()

    async def run_get_response(self, request: HttpRequest) -> HttpResponseBase:
        threads = self._looking if request.method in ("GET", "HEAD") else self._doing
        within = contextvars.copy_context()
        loop = asyncio.get_running_loop()
        response = await loop.run_in_executor(threads, within.run, self._answer, request)
        if isinstance(response, FileResponse):
            response.block_size = self.chunk_size
        return response

    def _answer(self, request: HttpRequest) -> HttpResponseBase:
        """Answer a request up to the sending; an answer that is not streamed is also closed here."""
        request_started.send(sender=type(self), scope=getattr(request, "scope", None))
        try:
            response: HttpResponseBase = self.get_response(request)
            response._handler_class = type(self)  # type: ignore[attr-defined]
            if not response.streaming:
                response.close()
            return response
        finally:
            # each thread has to give back its own database connection
            connections.close_all()
