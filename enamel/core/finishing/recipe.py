"""Finishes: steps in a fixed order, each on or off. Lengths in px of the layer."""

import dataclasses
from dataclasses import dataclass
from typing import Any, ClassVar

from enamel.core.errors import require
from enamel.core.fields import (
    check_fields,
    from_json,
    integer,
    json_schema,
    number,
    setting,
    to_json,
)
from enamel.core.imaging.colour import rgb_of

LEVELS = "levels"
"""Unit of values on the scale of 0 to 255."""


def _switch() -> Any:
    return setting(False, "Whether this step is done.")


@dataclass(frozen=True, slots=True)
class CleanUp:
    """Removes blocks and ringing of JPEG, which enlarging has made larger."""

    NAME: ClassVar[str] = "Compression clean-up"
    on: bool = _switch()
    block: float = number(
        8.0, 4, 128, "Side of a block here: 8 px times what enlarging made of it.", "px"
    )
    blocks: float = number(0.7, 0, 1, "How much of the steps at the blocks' borders is smoothed.")
    ripples: float = number(0.5, 0, 1, "How much of the ripples beside edges is smoothed.")
    threshold: float = number(6.0, 0.5, 40, "Steps above this are the picture's own.", LEVELS)

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Noise:
    """Removes noise and keeps edges; lightness and colour have separate strengths."""

    NAME: ClassVar[str] = "Noise reduction"
    on: bool = _switch()
    lightness: float = number(2.0, 0, 30, "Deviation of the noise in lightness.", LEVELS)
    colour: float = number(4.0, 0, 60, "Deviation of the noise in colour.", LEVELS)
    coarseness: float = number(1.0, 0.5, 4, "How much larger than one px its grains are.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Fringes:
    """Removes colour fringes beside strong edges."""

    NAME: ClassVar[str] = "Colour fringes"
    on: bool = _switch()
    amount: float = number(0.8, 0, 1, "How much of them is taken away.")
    reach: float = number(3.0, 1, 16, "How far from an edge they stand.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Deblur:
    """Reverses a small blur of known size."""

    NAME: ClassVar[str] = "Deblurring"
    on: bool = _switch()
    blur: float = number(1.0, 0.3, 4, "Standard deviation of the blur.", "px")
    rounds: int = integer(3, 1, 8, "Rounds of the inverse filter: more takes back more, noise too.")
    halo: float = number(0.1, 0, 1, "How far beyond its surroundings an edge may go.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Tone:
    """Levels, white balance and a curve, all in one table for each colour."""

    NAME: ClassVar[str] = "Tone"
    on: bool = _switch()
    black: float = number(0.0, 0, 0.45, "What becomes black, as a fraction of white.")
    white: float = number(1.0, 0.55, 1, "What becomes white.")
    middle: float = number(1.0, 0.3, 3, "Above 1 lightens the middle tones, below 1 darkens them.")
    grey: str = setting("#808080", "A colour of the picture that is to be neutral.")
    curve: tuple[tuple[float, float], ...] = setting(
        ((0.0, 0.0), (1.0, 1.0)), "Points of the tone curve from left to right, 0 to 1."
    )

    def __post_init__(self) -> None:
        check_fields(self)
        parts = rgb_of(self.grey)
        require(parts is not None and min(parts) >= 8, "grey", self.grey,
                "a colour such as #8a8478, none of its parts below 8")  # fmt: skip
        pairs = all(len(point) == 2 and all(0 <= v <= 1 for v in point) for point in self.curve)
        require(2 <= len(self.curve) <= 12 and pairs, "curve", list(self.curve),
                "2 to 12 points of two numbers from 0 to 1")  # fmt: skip
        across = [point[0] for point in self.curve]
        apart = all(right - left >= 0.01 for left, right in zip(across, across[1:], strict=False))
        require(apart, "curve", list(self.curve), "points from left to right, 0.01 apart or more")

    @property
    def rgb(self) -> tuple[int, int, int]:
        """The colour to be made neutral, 8 to 255 each."""
        parts = rgb_of(self.grey)
        assert parts is not None  # looked at when it was made
        return parts


@dataclass(frozen=True, slots=True)
class Match:
    """Moves tone and colour towards those of the base or of another layer."""

    NAME: ClassVar[str] = "Match"
    on: bool = _switch()
    to: str = setting("", "sha256 of the layer's pixels; empty for the base.")
    whole: float = number(1.0, 0, 1, "How far mean and spread of the whole are led there.")
    local: float = number(0.0, 0, 1, "How far each place is led there.")
    radius: int = integer(128, 32, 4000, "Size of a place.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Colour:
    """Changes saturation and warmth; keeps lightness."""

    NAME: ClassVar[str] = "Colour"
    on: bool = _switch()
    saturation: float = number(0.0, -1, 1, "−1 is grey, 0 as it is, 1 twice as colourful.")
    warmth: float = number(0.0, -1, 1, "Below 0 towards blue, above towards amber.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class LocalContrast:
    """Increases the contrast of shapes against their surroundings."""

    NAME: ClassVar[str] = "Local contrast"
    on: bool = _switch()
    amount: float = number(0.25, -1, 2, "Below 0 evens out.")
    radius: int = integer(64, 32, 4000, "Size of the surroundings.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Sharpen:
    """Makes edges steeper."""

    NAME: ClassVar[str] = "Sharpening"
    on: bool = _switch()
    radius: float = number(1.0, 0.3, 6, "Standard deviation of what is steepened.", "px")
    amount: float = number(0.6, 0, 4, "How much.")
    threshold: float = number(1.0, 0, 30, "What differs by less is left alone.", LEVELS)
    edges: float = number(0.5, 0, 1, "0 sharpens everywhere, 1 only at edges.")
    halo: float = number(0.15, 0, 1, "How far beyond its surroundings an edge may go.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Grain:
    """Adds grain that depends on coordinates: any window has the same as the whole."""

    NAME: ClassVar[str] = "Grain"
    on: bool = _switch()
    size: float = number(1.2, 0.5, 6, "Size of a grain.", "px")
    amount: float = number(4.0, 0, 40, "Its deviation in the middle tones.", LEVELS)
    shadows: float = number(0.7, 0, 1, "Share of it in the shadows.")
    lights: float = number(0.3, 0, 1, "Share of it in the lights.")
    colour: float = number(0.0, 0, 1, "0 is grey, 1 has each colour its own.")
    seed: int = integer(0, 0, 2**53 - 1, "Of its noise.")

    def __post_init__(self) -> None:
        check_fields(self)


Step = CleanUp | Noise | Fringes | Deblur | Tone | Match | Colour | LocalContrast | Sharpen | Grain


@dataclass(frozen=True, slots=True)
class Finish:
    """A recipe: its steps in their order."""

    NAMES: ClassVar[tuple[str, ...]] = (
        "clean_up", "noise", "fringes", "deblur", "tone", "match", "colour", "local_contrast",
        "sharpen", "grain",
    )  # fmt: skip
    clean_up: CleanUp = setting(CleanUp(), str(CleanUp.__doc__))
    noise: Noise = setting(Noise(), str(Noise.__doc__))
    fringes: Fringes = setting(Fringes(), str(Fringes.__doc__))
    deblur: Deblur = setting(Deblur(), str(Deblur.__doc__))
    tone: Tone = setting(Tone(), str(Tone.__doc__))
    match: Match = setting(Match(), str(Match.__doc__))
    colour: Colour = setting(Colour(), str(Colour.__doc__))
    local_contrast: LocalContrast = setting(LocalContrast(), str(LocalContrast.__doc__))
    sharpen: Sharpen = setting(Sharpen(), str(Sharpen.__doc__))
    grain: Grain = setting(Grain(), str(Grain.__doc__))

    @property
    def steps(self) -> dict[str, Step]:
        """The steps that are on, by their field's name, in their order."""
        named = {spec.name: getattr(self, spec.name) for spec in dataclasses.fields(self)}
        return {name: step for name, step in named.items() if step.on}

    @property
    def words(self) -> str:
        """Its steps in a line."""
        names = [step.NAME for step in self.steps.values()]
        return ", ".join([names[0], *(name.lower() for name in names[1:])]) if names else "Nothing"

    def with_step(self, name: str, step: Step) -> "Finish":
        """Return the recipe with one step replaced, by name."""
        return dataclasses.replace(self, **{name: step})  # type: ignore[arg-type]

    def without(self, name: str) -> "Finish":
        """Return the recipe with one step switched off."""
        return self.with_step(name, dataclasses.replace(getattr(self, name), on=False))

    def first_difference(self, other: "Finish") -> str | None:
        """Return the first step that differs in another recipe; None when both are equal."""
        return next(
            (name for name in self.NAMES if getattr(self, name) != getattr(other, name)), None
        )

    def parted(self, name: str) -> "tuple[Finish, Finish]":
        """Return the recipe of the steps before one, and that of this one and all later ones."""
        place = self.NAMES.index(name)
        before, after = self, self
        for other in self.NAMES[:place]:
            after = after.without(other)
        for other in self.NAMES[place:]:
            before = before.without(other)
        return before, after

    def at_scale(self, scale: float) -> "Finish":
        """Return the recipe for the picture reduced by a scale below 1, as nearly as px allow: for
        previews.

        Steps whose radius falls below a px there would be invisible, and are off.
        """
        made = self
        for name, step in self.steps.items():
            changes: dict[str, Any] = {}
            for spec in dataclasses.fields(step):
                if spec.metadata.get("unit") == "px":
                    now, least = getattr(step, spec.name), spec.metadata["low"]
                    length = now * scale
                    changes[spec.name] = type(now)(max(least, length))
                    seen = length >= least / 2 or isinstance(step, Match | LocalContrast)
                    changes["on"] = changes.get("on", True) and seen
            made = made.with_step(name, dataclasses.replace(step, **changes))
        return made

    @classmethod
    def from_json(cls, given: Any) -> "Finish":
        """Return a recipe from JSON; steps left out are off."""
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        form: dict[str, Any] = to_json(self)
        return form


def finish_schema() -> dict[str, Any]:
    """Return the published JSON Schema of finish files (`docs/reference/finish.schema.json`)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Enamel finish",
        "description": "Tone, colour, sharpening, noise and grain, after the coats.",
        **json_schema(Finish),
    }
