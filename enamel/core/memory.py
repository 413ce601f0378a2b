"""How much memory this process took, and giving it back."""

import ctypes
import gc
import resource
import sys
from contextlib import suppress
from pathlib import Path


def give_back_freed() -> None:
    """Hand memory that was freed back to the system, where the C library would keep it."""
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def peak_from_here() -> None:
    """Give freed memory back and count the peak anew, where the system can: what runs next is measured by
    what it takes itself, not by what it takes beyond others before it."""
    give_back_freed()
    with suppress(OSError):
        Path("/proc/self/clear_refs").write_text("5")  # proc_pid_clear_refs(5)


def peak_memory_mb() -> float:
    """Most memory this process has held, in MB.

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
