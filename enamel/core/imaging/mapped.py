"""Give back the pages of files that a library maps into memory."""

import ctypes
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Thread

PAUSE_SECONDS = 0.1
"""Seconds between two rounds; a fast disk reads some 100 MB meanwhile."""
MAPS = Path("/proc/self/maps")
MADV_PAGEOUT = 21
"""Of Linux 5.4: take these pages out of memory. Unlike MADV_DONTNEED it loses nothing, whatever has come
to lie at an address meanwhile."""


@contextmanager
def kept_out_of_memory(path: Path) -> Iterator[None]:
    """Give the mapped pages of a file back to the system, repeatedly while the block runs.

    libvips maps a whole file that it reads, and each page read counts as the process's memory until the
    end: a gigabyte for 171 megapixels. A page given back is read again from the file when it is needed.
    Does nothing where the system has no such call.
    """
    if not MAPS.exists():
        yield
        return
    over = Event()

    def give_back() -> None:
        advise = ctypes.CDLL(None).madvise
        while not over.wait(PAUSE_SECONDS):
            for start, stop in _places(path.resolve()):
                advise(ctypes.c_void_p(start), ctypes.c_size_t(stop - start), MADV_PAGEOUT)

    thread = Thread(target=give_back, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def _places(path: Path) -> list[tuple[int, int]]:
    """Return the address ranges of a file's mappings: first address, and the one after the last."""
    found = []
    for line in MAPS.read_text().splitlines():
        parts = line.split(maxsplit=5)
        if len(parts) == 6 and parts[5] == str(path):
            start, _, stop = parts[0].partition("-")
            found.append((int(start, 16), int(stop, 16)))
    return found
