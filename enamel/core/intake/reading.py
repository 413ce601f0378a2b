"""Reading a foreign picture file in a sandbox, with limits on time and memory."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from enamel.core.intake.pixels import Limits, examine, read_canvas
from enamel.core.limited import OnFraction, answer, answer_of

SECONDS = 900


def read_apart(
    path: Path, into: Path, limits: Limits, on_progress: OnFraction = lambda fraction: None
) -> None:
    """Decode a file into a canvas at ``into``, as `read_canvas` does.

    Parameters
    ----------
    on_progress : called with the fraction read, 0…1.

    Raises
    ------
    Refusal
        When the file can't be used, or reading it takes too long or too much memory.
    """
    answer_of(
        "enamel.core.intake.reading", str(path), str(into), json.dumps(asdict(limits)),
        seconds=SECONDS, thing="picture", readable=[path], writable=[into.parent], on_progress=on_progress,
    )  # fmt: skip


def _work(arguments: list[str], on_progress: OnFraction) -> Any:
    path, into, limits = arguments
    facts = examine(Path(path), Limits(**json.loads(limits)))
    read_canvas(Path(path), facts, Path(into), on_progress).close()
    return True


if __name__ == "__main__":
    answer(_work, SECONDS)
