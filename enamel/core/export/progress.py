"""Report how much of a file is written, and stop when the listener raises."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from typing import Any

import pyvips

OnFraction = Callable[[float], None]
"""Called with a fraction, 0…1, in the caller's thread. Its exceptions end the writing."""
PAUSE_SECONDS = 0.05


def write_with_progress(
    image: pyvips.Image,
    write: Callable[[], None],
    on_progress: OnFraction | None,
    fraction: float = 1.0,
) -> None:
    """Write a picture, and report how much of it is computed.

    libvips reports in its own threads and swallows exceptions there, and a listener may hold a connection
    that belongs to one thread. So the picture is written in another thread, and this one calls the
    listener.

    Parameters
    ----------
    image : the picture that is written itself, not one that it is made from.
    write : writes it.
    fraction : how much of the whole work this is.
    """
    if on_progress is None:
        write()
        return
    now = 0.0

    def note(_: pyvips.Image, progress: Any) -> None:
        nonlocal now
        now = progress.percent / 100

    image.set_progress(True)
    image.signal_connect("eval", note)
    with ThreadPoolExecutor(1) as beside:
        writing = beside.submit(write)
        reported = 0.0
        while not wait([writing], PAUSE_SECONDS).done:
            if now == reported:
                continue
            reported = now
            try:
                on_progress(fraction * reported)
            except BaseException:
                image.set_kill(True)
                wait([writing])
                raise
        writing.result()
    on_progress(fraction)
