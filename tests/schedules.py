"""Schedules that are fired in a moment."""

from typing import Any

from enamel.core.schedule import Coat, Fit, Refine, Schedule


def quick(**settings: Any) -> Refine:
    """A refinement of two steps on small tiles."""
    plain: dict[str, Any] = {
        "strength": 0.5,
        "steps": 2,
        "seed": 5,
        "tile": (96, 96),
        "fit": Fit.EXACT,  # so that small pictures have several
        "overlap": 24,
    }
    return Refine(**(plain | settings))


def coat(factor: float = 2, **settings: Any) -> Schedule:
    """A schedule of one such coat."""
    return Schedule((Coat(factor=factor, refine=quick(**settings)),))
