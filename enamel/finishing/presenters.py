"""The panel of finishes: steps with their controls, as core declares them."""

import dataclasses
from dataclasses import dataclass
from typing import Any

from enamel.core.fields import whole_number
from enamel.core.finishing.recipe import Finish, Step
from enamel.finishing.models import FinishPreset
from enamel.firings import services as firings
from enamel.library.models import Layer, Piece

WIDE = 40.0
"""Ranges whose ends differ by this factor have a logarithmic slider."""
SLIDER = 1000


@dataclass(frozen=True, slots=True)
class Control:
    """The control of one number of a step."""

    name: str
    label: str
    low: float
    high: float
    whole: bool
    unit: str
    says: str
    wide: bool

    @property
    def step(self) -> float:
        """The change by one press of a key."""
        if self.whole:
            return 1
        return 0.01 if self.high - self.low <= 6 else 0.1


@dataclass(frozen=True, slots=True)
class ShownStep:
    """A step with its controls."""

    name: str
    title: str
    says: str
    controls: list[Control]


def present_steps() -> list[ShownStep]:
    """Return all steps in their order."""
    shown = []
    for name in Finish.NAMES:
        kind: type[Step] = type(getattr(Finish(), name))
        controls = [_control(own) for own in dataclasses.fields(kind) if "low" in own.metadata]
        says = str(kind.__doc__).partition(".")[0] + "."
        shown.append(ShownStep(name, kind.NAME, says, controls))
    return shown


def _control(spec: "dataclasses.Field[Any]") -> Control:
    low, high = spec.metadata["low"], spec.metadata["high"]
    return Control(
        name=spec.name,
        label=spec.name.replace("_", " ").capitalize(),
        low=low,
        high=high,
        whole=whole_number(spec),
        unit=spec.metadata["unit"],
        says=spec.metadata["doc"],
        wide=low > 0 and high / low >= WIDE,
    )


def present_finish(piece: Piece, layer: Layer, changing: Layer | None) -> dict[str, Any]:
    """Return the panel: steps, layers to match to, finish presets, and finishes that can be repeated."""
    others = [other for other in piece.layers.order_by("created") if other.pk != layer.pk]
    return {
        "finish_steps": present_steps(),
        "matchable": [other for other in others if other.surveyed and other.parent_id],
        "finishes": FinishPreset.objects.filter(owner_id=piece.owner_id),
        "changing": changing,
        "redo_from": len(firings.after(layer.replaces)) if layer.replaces else 0,
        "slider": SLIDER,
    }
