"""Measure how long functions take."""

import statistics
import time
from collections.abc import Callable


def seconds_of(run: Callable[[], object]) -> float:
    """Return seconds that ``run`` takes."""
    began = time.perf_counter()
    run()
    return time.perf_counter() - began


def median_seconds(run: Callable[[], object]) -> float:
    """Return seconds that ``run`` takes, median of three after one that warms up."""
    return medians_in_turn(run, times=3)[0]


def medians_in_turn(*runs: Callable[[], object], times: int) -> list[float]:
    """Return median seconds of each, one after the other in turn, so that a busy machine slows all alike.

    Each runs once more at first, to warm up.
    """
    seconds: list[list[float]] = [[] for _ in runs]
    for _ in range(times + 1):
        for run, taken in zip(runs, seconds, strict=True):
            taken.append(seconds_of(run))
    return [statistics.median(taken[1:]) for taken in seconds]
