"""Progress of a running engine, and how it is stopped."""

from collections.abc import Callable
from dataclasses import dataclass

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import SampleArray


@dataclass(frozen=True, slots=True)
class Progress:
    """A piece of work is finished and stored. Emitted after each tile (or each tile of a joint step)."""

    coat: int
    done: int
    """Tile evaluations of this coat finished so far, with those of earlier runs."""
    total: int
    box: Box
    """The part that changed, in px of the coat's result."""
    preview: SampleArray
    """The pixels of that part: finished, or the present estimate."""


OnProgress = Callable[[Progress], None]
StopSign = Callable[[], bool]


def ignore(progress: Progress) -> None:
    """Ignore progress: the default listener."""


def never() -> bool:
    """Return False: the default for ``stopping``."""
    return False
