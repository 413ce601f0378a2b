"""Orders of a stand-in, stored on disk, and the queue of those that wait."""

import json
import os
import queue
import threading
from collections.abc import Collection
from pathlib import Path
from typing import Any


class OrderBook:
    """Orders in a folder each, as ``order.json``. ``lock`` is held while several things are changed together.

    Parameters
    ----------
    folder : of all orders; made if need be.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.lock = threading.RLock()
        self.queue: queue.Queue[str] = queue.Queue()
        folder.mkdir(parents=True, exist_ok=True)

    def path(self, number: str) -> Path:
        return self.folder / number / "order.json"

    def all(self) -> list[dict[str, Any]]:
        return [json.loads(path.read_text()) for path in sorted(self.folder.glob("*/order.json"))]

    def known(self, key: str) -> dict[str, Any] | None:
        """Return the order that was placed with this key."""
        return next((one for one in self.all() if key and one["key"] == key), None)

    def count(self, states: Collection[str]) -> int:
        """Return the number of orders in these states."""
        return sum(one["state"] in states for one in self.all())

    def read(self, number: str) -> dict[str, Any] | None:
        """Return an order with its place in the queue, 0 where it does not wait there."""
        if "/" in number or not self.path(number).is_file():
            return None
        with self.lock:
            order: dict[str, Any] = json.loads(self.path(number).read_text())
        waiting = list(self.queue.queue)
        return order | {"place": waiting.index(number) + 1 if number in waiting else 0}

    def keep(self, order: dict[str, Any]) -> None:
        """Write an order atomically, and wait until it is on the disk."""
        path = self.path(order["number"])
        path.parent.mkdir(exist_ok=True)
        partial = path.with_suffix(".part")
        with partial.open("w") as file:
            json.dump(order, file)
            file.flush()
            os.fsync(file.fileno())
        partial.replace(path)
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)

    def change(self, number: str, **news: Any) -> None:
        with self.lock:
            self.keep(json.loads(self.path(number).read_text()) | news)
