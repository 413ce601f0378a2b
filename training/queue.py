"""Trains beside everything else: `python -m training.queue [NAME …] [--lanes 2]`.

Goes through recipes in their order, one thread and the lowest priority each, as many at once as there
are lanes. Every run saves itself every few minutes and goes on from there, so the queue is simply
started again after a break. `python -m training.queue --pause` and `--resume` halt it for a benchmark,
`--stop` lets every run save and end.
"""

import argparse
import os
import signal
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress

from training.recipes import RECIPES
from training.sources import CACHE

PLACE = CACHE / "queue.pid"
"""Holds the number of the queue's process group while it runs."""


def run(names: list[str], lanes: int) -> None:
    """Train each recipe to its last step, ``lanes`` at once."""
    os.setpgid(0, 0)
    PLACE.write_text(str(os.getpid()))
    stopping = False

    def stop(*_: object) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGTERM, stop)

    def train(name: str) -> None:
        if not stopping:
            subprocess.run(
                ["nice", "-n", "19", sys.executable, "-m", "training.train", name], check=False
            )

    try:
        with ThreadPoolExecutor(lanes) as pool:
            list(pool.map(train, names))
    finally:
        PLACE.unlink()


def signalled(number: signal.Signals) -> bool:
    """Send a signal to the queue and all its runs; whether there was one."""
    with suppress(FileNotFoundError, ProcessLookupError):
        os.killpg(int(PLACE.read_text()), number)
        return True
    return False


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", choices=[*RECIPES, []], help="all, when left out")
    parser.add_argument("--lanes", type=int, default=2)
    for name, number in (
        ("pause", signal.SIGSTOP),
        ("resume", signal.SIGCONT),
        ("stop", signal.SIGTERM),
    ):
        parser.add_argument(f"--{name}", dest="signal", action="store_const", const=number)
    chosen = parser.parse_args()
    if chosen.signal:
        print("sent" if signalled(chosen.signal) else "No training runs.")
    else:
        run(chosen.names or list(RECIPES), chosen.lanes)
