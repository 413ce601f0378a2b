"""The speed of work on this machine, learned from work done here, never measured while someone waits."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import accumulate
from math import log2

FADING = 0.8
"""Weight of a timing relative to the next newer one."""
NEARNESS = 2.0
"""How quickly the weight of a timing falls with the difference in size: 1 ÷ (1 + this × doublings)."""
USUAL = {"refine": 2.0, "enlarge": 0.25, "settle": 0.25}
"""Seconds for a megapixel before there are timings or trials: two cores, Grisaille, Lanczos."""


class Kind(StrEnum):
    """Kinds of work; each says how its amount is counted."""

    REFINE = "refine"
    """Megapixels that a refiner sees, over all tiles and evaluations."""
    ENLARGE = "enlarge"
    """Megapixels that an upscaler computes, over all of its runs."""
    SETTLE = "settle"
    """Megapixels of a finished layer: stored, prepared, checked."""


@dataclass(frozen=True, slots=True)
class Portion:
    """An amount of one kind of work."""

    kind: Kind
    amount: float
    """In megapixels, see `Kind`."""
    model: str = ""
    """The refiner or upscaler."""
    mode: str = ""
    tile: str = ""
    """Width and height of the tiles in px."""


@dataclass(frozen=True, slots=True)
class TimedPortion:
    """A portion with the seconds it took."""

    portion: Portion
    seconds: float


@dataclass(frozen=True, slots=True)
class Paces:
    """The speeds of this machine, as far as they are known.

    Attributes
    ----------
    done : the timings, the newest first.
    rates : megapixels per second from models' trials, by name; for those without timings.
    """

    done: Sequence[TimedPortion] = ()
    rates: Mapping[str, float] | None = None

    def seconds(self, portion: Portion) -> float:
        """Return the predicted seconds of a portion.

        This is the median of timings with the same model, mode and tile; else with the same model and
        mode; else with the same model. Newer timings weigh more, and so do those of a similar size,
        because fixed costs matter more in small work.
        """
        for alike in (
            lambda one: (one.kind, one.model, one.mode, one.tile),
            lambda one: (one.kind, one.model, one.mode),
            lambda one: (one.kind, one.model),
        ):
            wanted = alike(portion)
            near = [timed for timed in self.done if alike(timed.portion) == wanted]
            if near:
                return portion.amount * _pace(near, portion.amount)
        rate = (self.rates or {}).get(portion.model)
        return portion.amount * (1 / rate if rate else USUAL[portion.kind])

    def total(self, portions: Sequence[Portion]) -> float:
        """Return the predicted seconds of several portions together."""
        return sum(self.seconds(portion) for portion in portions)


def _pace(done: Sequence[TimedPortion], amount: float) -> float:
    """Return the weighted median of the seconds for a megapixel."""
    weighed = []
    for age, timed in enumerate(done):
        apart = abs(log2(max(amount, 1e-6) / timed.portion.amount))
        weighed.append((timed.seconds / timed.portion.amount, FADING**age / (1 + NEARNESS * apart)))
    weighed.sort()
    half = sum(weight for _, weight in weighed) / 2
    reached = accumulate(weight for _, weight in weighed)
    return next(
        pace for (pace, _), sum_so_far in zip(weighed, reached, strict=True) if sum_so_far >= half
    )
