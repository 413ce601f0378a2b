"""Executors of tile tasks: this process, or the machines of a cluster."""

import os
from collections.abc import Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import contextmanager

from enamel.core.errors import Refusal
from enamel.core.tiling.executor import AHEAD

CLUSTER = "ENAMEL_CLUSTER"
"""Address of a Dask scheduler, tcp://host:port; workers need the same Enamel and weights."""
AHEAD_PER_WORKER = 2


@contextmanager
def default_executor() -> Iterator[Executor]:
    """Provide an executor with one thread of this process, the network using all cores; or the configured
    cluster.

    Raises
    ------
    Refusal
        When a cluster is configured and can't be reached, or Dask is not installed.
    """
    address = os.environ.get(CLUSTER)
    if not address:
        with ThreadPoolExecutor(max_workers=1) as pool:
            yield pool
        return
    try:
        from distributed import Client
    except ImportError:
        raise Refusal(
            f"{CLUSTER} is set, but Dask is not installed: pip install 'enamel[cluster]', or unset it."
        ) from None
    try:
        client = Client(address, timeout="10s", set_as_default=False)
    except OSError as error:
        raise Refusal(
            f"The cluster at {address} does not answer: {error}. Nothing was lost."
        ) from None
    with client:
        # a tile's result depends on its task alone, so a lost one may run again anywhere
        yield client.get_executor(pure=False, retries=5)


def tasks_ahead(executor: Executor) -> int:
    """Return how many tasks to submit before the first result is awaited, so that no worker idles."""
    client = getattr(executor, "_client", None)
    if client is None:
        return AHEAD
    return max(AHEAD, AHEAD_PER_WORKER * len(client.scheduler_info()["workers"]))
