"""A bureau for tests, with its moods."""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from devservices.bureau.server import Server
from devservices.bureau.service import Service

Open = Callable[..., Server]
KEY = "the house's own"


@contextmanager
def opened(folder: Path, **given: Any) -> Iterator[tuple[httpx.Client, Server]]:
    """A bureau on a free port, and somebody who has an account and speaks to it.

    Parameters
    ----------
    given : ``terms``, ``render`` and ``beginning_cents`` of its desk, moods of its counter.
    """
    service = {
        name: given.pop(name) for name in ("terms", "render", "beginning_cents") if name in given
    }
    server = Server(0, Service(folder / "bureau", **service), KEY, **given)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_address[1]}"
    headers = {"Authorization": f"Bearer {KEY}"}
    with httpx.Client(
        base_url=address, trust_env=False, verify=False, timeout=20, headers=headers
    ) as client:
        yield client, server
    server.shutdown()
    server.server_close()
