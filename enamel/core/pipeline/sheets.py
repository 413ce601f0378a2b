"""Swatch sheets: one coat with one or two of its settings varied. Plain values; nothing is run here."""

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.fields import whole_number
from enamel.core.schedule import Coat, Mix, Refine

MOST_SWATCHES = 36
MOST_VALUES = 12
LONGEST_NUMBER = 30
"""Most characters of a number."""
RANGE = re.compile(
    r"\s*(-?\d*\.?\d+)\s*(?:…|\.\.\.?|–|-|to)\s*(-?\d*\.?\d+)\s*(?:in|×|x|:)\s*(\d+)\s*",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class Varied:
    """A setting that a sheet can vary: its name, its label, and how it is put into a coat."""

    name: str
    words: str
    number: bool
    put: Callable[[Coat, Any], Coat]


def _refined(name: str) -> Callable[[Coat, Any], Coat]:
    def put(coat: Coat, value: Any) -> Coat:
        if coat.refine is None:
            raise Refusal("This coat refines nothing, so its refinement can't be varied.")
        return replace(coat, refine=replace(coat.refine, **{name: value}))

    return put


def _mixed(coat: Coat, value: Any) -> Coat:
    if coat.mix is None:
        raise Refusal("This coat mixes no second upscaler; choose one first.")
    return replace(coat, mix=Mix(coat.mix.upscaler, value))


VARIED = (
    Varied("strength", "Denoising strength", True, _refined("strength")),
    Varied("restore", "Restore detail", True, _refined("restore")),
    Varied("seed", "Seed", True, _refined("seed")),
    Varied("steps", "Steps", True, _refined("steps")),
    Varied("hold", "Hold", True, _refined("hold")),
    Varied("extra_noise", "Extra noise", True, _refined("extra_noise")),
    Varied("guidance", "Guidance scale", True, _refined("guidance")),
    Varied("contrast", "Start contrast", True, _refined("contrast")),
    Varied("chroma", "Start chroma", True, _refined("chroma")),
    Varied("anchor", "Colour anchoring", True, _refined("anchor")),
    Varied("upscaler", "Upscaler", False, lambda coat, value: replace(coat, upscaler=value)),
    Varied("weight", "Weight of the second upscaler", True, _mixed),
    Varied("prompt", "Words", False, _refined("prompt")),
    Varied("model", "Refiner", False, _refined("model")),
)
BY_NAME = {varied.name: varied for varied in VARIED}
WHOLE = {spec.name for spec in fields(Refine) if whole_number(spec)}
"""Settings that are whole numbers."""


@dataclass(frozen=True, slots=True)
class Axis:
    """A varied setting with its values, in their order on the sheet."""

    name: str
    values: tuple[Any, ...]

    def __post_init__(self) -> None:
        object.__setattr__(self, "name", _current(self.name))

    @classmethod
    def read(cls, name: str, text: str) -> "Axis":
        """Return an axis from values separated by commas ("0.2, 0.3, 0.4"), prompts separated by bars
        ("brick | brick, moss"), or an even range ("0.2–0.5 in 4").

        Raises
        ------
        FieldRefusal
            When the setting is unknown, or the values are missing, too many, or not numbers.
        """
        varied = BY_NAME.get(_current(name))
        if varied is None:
            raise FieldRefusal(name, "is not a setting that a sheet can vary.")
        if not varied.number:
            parts = text.split("|") if name == "prompt" else text.replace("|", ",").split(",")
            values: list[Any] = [part.strip() for part in parts]
            values = values if name == "prompt" else [value for value in values if value]
        else:
            values = [_number(varied, value) for value in _spread(text)]
        values = list(dict.fromkeys(values))
        if not values:
            raise FieldRefusal(name, "Give values, as in 0.2, 0.3, 0.4 or 0.2–0.5 in 4.")
        if len(values) > MOST_VALUES:
            raise FieldRefusal(
                name, f"These are {len(values)} values; a sheet takes {MOST_VALUES}."
            )
        return cls(name, tuple(values))


def _current(name: str) -> str:
    """Return the present name of a setting, from that or an earlier name."""
    return Refine.RENAMED.get(name, name)


def _spread(text: str) -> list[str]:
    """Return the numbers of a list, or of an even range, as text."""
    found = RANGE.fullmatch(text)
    if found is None:
        return [part for part in re.split(r"[,;\s]+", text.strip()) if part]
    low, high, count = found[1], found[2], found[3]
    if len(count) > 2 or not 2 <= int(count) <= MOST_VALUES:
        raise FieldRefusal("values", f"A range takes from 2 to {MOST_VALUES} values.")
    last = int(count) - 1
    if "." not in low + high:  # whole numbers stay exact, however long
        first, end = int(low), int(high)
        if (end - first) % last == 0:
            return [str(first + (end - first) // last * place) for place in range(last + 1)]
    start, span = float(low), float(high) - float(low)
    return [f"{start + span * place / last:.6g}" for place in range(last + 1)]


def _number(varied: Varied, text: str) -> float | int:
    """Return a value as the setting takes it: whole numbers exactly, as far as seeds go."""
    refusal = FieldRefusal(varied.name, f"“{text[:40]}” is no number that can be used.")
    if len(text) > LONGEST_NUMBER:
        raise refusal
    try:
        if varied.name in WHOLE and re.fullmatch(r"[+-]?\d+", text):
            return int(text)
        value = float(text)
    except ValueError:
        raise refusal from None
    if not math.isfinite(value):
        raise refusal
    return round(value) if varied.name in WHOLE else value


@dataclass(frozen=True, slots=True)
class Cell:
    """One swatch of a sheet."""

    row: int
    column: int
    coat: Coat
    label: str
    """The settings that distinguish it from the other swatches."""


def cells(coat: Coat, axes: Sequence[Axis]) -> list[Cell]:
    """Return the swatches of a sheet over up to two axes: the first is horizontal, the second vertical.

    Raises
    ------
    Refusal
        When a value can't be used with the coat, or there are too many.
    """
    if len(axes) > 2 or len({axis.name for axis in axes}) < len(axes):
        raise Refusal("A sheet varies one setting, or two different ones.")
    across = axes[0] if axes else Axis("", ("",))
    down = axes[1] if len(axes) > 1 else Axis("", ("",))
    if len(across.values) * len(down.values) > MOST_SWATCHES:
        raise Refusal(
            f"{len(across.values)} × {len(down.values)} are {len(across.values) * len(down.values)} "
            f"swatches; a sheet takes {MOST_SWATCHES}."
        )
    found = []
    for row, lower in enumerate(down.values):
        for column, upper in enumerate(across.values):
            made, words = coat, []
            for axis, value in ((across, upper), (down, lower)):
                if axis.name:
                    made = BY_NAME[axis.name].put(made, value)
                    words.append(f"{BY_NAME[axis.name].words} {shown(value)}")
            found.append(Cell(row, column, made, ", ".join(words)))
    return found


def shown(value: Any) -> str:
    """Return a value as a label."""
    if isinstance(value, str):
        return value or "none"
    return str(value) if isinstance(value, int) else f"{value:g}"


def work_of(coat: Coat) -> float:
    """Return a coat's amount of network work, to order swatches by."""
    refine = coat.refinement
    if refine is None:
        return 0.0
    return refine.steps * refine.calls


def in_order(found: Sequence[Cell], axes: Sequence[Axis], current: Coat) -> list[Cell]:
    """Return the swatches in the order of making: the cheapest first, then the nearest to the current
    settings.
    """

    def away(cell: Cell) -> float:
        total = 0.0
        for axis, place in zip(axes, (cell.column, cell.row), strict=False):
            values = axis.values
            now = _value(current, axis.name)
            at = values.index(now) if now in values else (len(values) - 1) / 2
            total += abs(place - at)
        return total

    return sorted(found, key=lambda cell: (work_of(cell.coat), away(cell)))


def _value(coat: Coat, name: str) -> Any:
    if name == "upscaler":
        return coat.upscaler
    if name == "weight":
        return coat.mix.weight if coat.mix else None
    return getattr(coat.refine, name) if coat.refine else None


def around(axis: Axis, value: Any, span: tuple[float, float]) -> Axis:
    """Return a narrower axis around one of an axis's values: half the steps, as many values, within
    ``span``.

    Seeds and prompts have no values between them, and stay unchanged.
    """
    numbers = [entry for entry in axis.values if isinstance(entry, int | float)]
    if axis.name == "seed" or len(numbers) != len(axis.values) or len(numbers) < 2:
        return axis
    step = min(abs(b - a) for a, b in zip(sorted(numbers), sorted(numbers)[1:], strict=False)) / 2
    count = len(numbers)
    first = value - step * ((count - 1) // 2)
    values = [min(span[1], max(span[0], first + step * place)) for place in range(count)]
    if axis.name in WHOLE:
        values = [round(entry) for entry in values]
    return Axis(axis.name, tuple(dict.fromkeys(round(entry, 4) for entry in values)))
