"""How long things take on this machine."""

import statistics
import time
from collections.abc import Callable


def median_seconds(run: Callable[[], object]) -> float:
    """Seconds that ``run`` takes, median of three after one that warms up."""
    seconds = []
    for _ in range(4):
        began = time.perf_counter()
        run()
        seconds.append(time.perf_counter() - began)
    return statistics.median(seconds[1:])
