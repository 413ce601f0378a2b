"""Measure this process's memory, and give freed memory back."""

import ctypes
import gc
import resource
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path


def give_back_freed() -> None:
    """Hand memory that was freed back to the system, where the C library would keep it."""
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def peak_memory_mb() -> float:
    """Return most memory this process has held, in MB.

    From the kernel's own count for this program where there is one: the usual count starts with what
    the process that launched it held.
    """
    status = Path("/proc/self/status")
    if status.exists():
        for line in status.read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024 / 1e6
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak / 1e6 if sys.platform == "darwin" else peak * 1024 / 1e6


def memory_taken_mb(run: Callable[[], object]) -> float:
    """Return most memory that ``run`` takes itself, in MB.

    Freed memory is given back and the peak counted from zero first, where the system can: what ran before
    could hide it.
    """
    give_back_freed()
    with suppress(OSError):
        Path("/proc/self/clear_refs").write_text("5")  # proc_pid_clear_refs(5)
    before = peak_memory_mb()
    run()
    return peak_memory_mb() - before
