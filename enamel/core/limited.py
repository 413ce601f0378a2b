"""Work on foreign files in a separate process, in a sandbox, with limits on time and memory.

A foreign file may ask for any amount of either, and what reads it may have faults. The module that does the
work passes its function to `answer`; the caller uses `answer_of`. Both exchange lines of JSON.
"""

import json
import resource
import subprocess
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from threading import Timer
from typing import Any

from enamel.core.errors import Refusal
from enamel.core.sandbox import sandboxed

MEMORY_BYTES = 6 * 2**30
OnFraction = Callable[[float], None]
"""Called with the fraction of the work that is done, 0…1."""


def answer_of(
    module: str,
    *arguments: str,
    seconds: float,
    thing: str,
    readable: Iterable[Path] = (),
    writable: Iterable[Path] = (),
    on_progress: OnFraction | None = None,
) -> Any:
    """Return the result of a module's work.

    Parameters
    ----------
    module : run as ``python -m module arguments…``; it calls `answer`.
    seconds : the process is ended when it takes longer.
    thing : what is worked on, as in "network", for messages.
    readable, writable : files and folders that it may use, as `sandboxed` takes them.
    on_progress : called with the fraction done.

    Raises
    ------
    Refusal
        The work's own; or that it took too long, or broke off.
    """
    command = [sys.executable, "-m", module, *arguments]
    command = sandboxed(command, readable=readable, writable=writable)
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as working:
        late = Timer(seconds, working.kill)
        late.start()
        try:
            message: dict[str, Any] = {}
            assert working.stdout is not None
            for line in working.stdout:
                message = _read(line)
                if on_progress is not None and "fraction" in message:
                    on_progress(message["fraction"])
            working.wait()
        finally:
            in_time = late.is_alive()
            late.cancel()
            working.kill()
    if "refused" in message:
        raise Refusal(message["refused"])
    if "found" in message:
        return message["found"]
    if not in_time:
        raise Refusal(f"This {thing} was not done with in {seconds:.0f} s; it asks for too much.")
    raise Refusal(f"This {thing} broke off while it was tried, most likely for lack of memory.")


def _read(line: bytes) -> dict[str, Any]:
    """Return a line of the working process; libraries may have written others in between."""
    try:
        message = json.loads(line)
    except ValueError:
        return {}
    return message if isinstance(message, dict) else {}


def answer(
    work: Callable[[list[str], OnFraction], Any], seconds: float, memory: int | None = MEMORY_BYTES
) -> None:
    """Do the work on this process's arguments within the limits, and print the result.

    Parameters
    ----------
    memory : most bytes of address space; None where the work sets its own bound.
    """
    if memory is not None:
        bound_memory(memory)
    resource.setrlimit(resource.RLIMIT_CPU, (int(4 * seconds), int(4 * seconds)))

    def say(**words: Any) -> None:
        print(json.dumps(words), flush=True)

    try:
        found = work(sys.argv[1:], lambda fraction: say(fraction=round(fraction, 3)))
    except Refusal as refusal:
        say(refused=str(refusal))
    else:
        say(found=found)


def bound_memory(most: int) -> None:
    """Let this process have no more than a number of bytes of address space."""
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
