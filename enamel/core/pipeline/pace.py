"""How fast work goes on this machine: learned from what was done here, never measured while someone waits."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import accumulate
from math import log2

FADING = 0.8
"""How much an older piece of work counts beside the next newer one."""
NEARNESS = 2.0
"""How fast work of another size counts less: by one over one and this often the size's doublings."""
USUAL = {"refine": 2.0, "enlarge": 0.25, "settle": 0.25}
"""Seconds for a megapixel before anything was done or tried here: two cores, Grisaille, Lanczos."""


class Kind(StrEnum):
    """What is done, and in what its amount is counted."""

    REFINE = "refine"
    """Megapixels that a refiner sees, over all tiles and evaluations."""
    ENLARGE = "enlarge"
    """Megapixels that an upscaler makes, over all of its runs."""
    SETTLE = "settle"
    """Megapixels of a finished layer: stored, made ready to be looked at, checked."""


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
class Timed:
    """A portion that was done, and the seconds it took."""

    portion: Portion
    seconds: float


@dataclass(frozen=True, slots=True)
class Paces:
    """What is known of this machine's speed.

    Attributes
    ----------
    done : what was timed here, the newest first.
    rates : megapixels per second of models as their trials measured them, by name; for those that have
        not run yet.
    """

    done: Sequence[Timed] = ()
    rates: Mapping[str, float] | None = None

    def seconds(self, portion: Portion) -> float:
        """Return how long a portion takes here.

        The median of what was timed of the same model, mode and tile; of the same model and mode, or of the
        same model, when there is nothing nearer. Newer work counts more, and so does work of about the same
        size, because what is needed once weighs more in little work.
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
        """Return how long several portions take, one after the other."""
        return sum(self.seconds(portion) for portion in portions)


def _pace(done: Sequence[Timed], amount: float) -> float:
    """Weighted median of the seconds that a megapixel took."""
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
