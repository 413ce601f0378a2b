"""Trains recipes one after another in the background: `python -m training.queue [NAME …] [--lanes 2]`.

Each run has one thread and the lowest priority; ``--lanes`` is how many run at once. Runs save checkpoints
and resume, so after a break the queue is just started again. `python -m training.queue --pause` and
`--resume` halt it for a benchmark, `--stop` lets every run save and end.
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


def send_signal(number: signal.Signals) -> bool:
    """Send a signal to the queue and all its runs; return whether a queue was running."""
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
        print("sent" if send_signal(chosen.signal) else "No training runs.")
    else:
        run(chosen.names or list(RECIPES), chosen.lanes)
