"""A print shop for tests, with its moods."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from devservices.shop.server import Server
from devservices.shop.service import Service


@contextmanager
def opened(folder: Path, **given: Any) -> Iterator[tuple[httpx.Client, Server]]:
    """A shop on a free port, and somebody who speaks to it.

    Parameters
    ----------
    given : ``most_waiting`` and ``slow`` of its desk, ``busy`` and ``break_after`` of its counter.
    """
    service = {name: given.pop(name) for name in ("most_waiting", "slow") if name in given}
    server = Server(0, Service(folder / "shop", **service), **given)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_address[1]}"
    with httpx.Client(base_url=address, trust_env=False, verify=False, timeout=20) as client:
        yield client, server
    server.shutdown()
    server.server_close()
