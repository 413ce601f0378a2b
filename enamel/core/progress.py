"""What a running engine reports, and how it is stopped."""

from collections.abc import Callable
from dataclasses import dataclass

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import SampleArray


@dataclass(frozen=True, slots=True)
class Progress:
    """A piece of work is finished and kept. Emitted after each tile (or each tile of a joint step)."""

    coat: int
    done: int
    """Tile evaluations of this coat finished so far, those of earlier runs included."""
    total: int
    box: Box
    """Where the news is, in px of the coat's result."""
    preview: SampleArray
    """What the box looks like now: finished pixels, or the present estimate of them."""


OnProgress = Callable[[Progress], None]
StopSign = Callable[[], bool]


def ignore(progress: Progress) -> None:
    """A listener that does not listen."""


def never() -> bool:
    """Return a stop sign that never shows."""
    return False
