"""A print shop for tests, with its moods."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from devservices.shop.counter import Counter
from devservices.shop.desk import Desk


@contextmanager
def opened(folder: Path, **given: Any) -> Iterator[tuple[httpx.Client, Counter]]:
    """A shop on a free port, and somebody who speaks to it.

    Parameters
    ----------
    given : ``most_waiting`` and ``slow`` of its desk, ``busy`` and ``break_after`` of its counter.
    """
    desk = {name: given.pop(name) for name in ("most_waiting", "slow") if name in given}
    counter = Counter(0, Desk(folder / "shop", **desk), **given)
    threading.Thread(target=counter.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{counter.server_address[1]}"
    with httpx.Client(base_url=address, trust_env=False, timeout=20) as client:
        yield client, counter
    counter.shutdown()
    counter.server_close()
