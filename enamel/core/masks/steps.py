"""What a mask is made of: steps in the order they were drawn. Pure values, JSON in and out.

Lengths are px of the picture that the mask was drawn on, so that it can be read at any other size of
the same picture.
"""

import math
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from enamel.core.errors import require
from enamel.core.fields import check_fields, from_json, number, setting
from enamel.core.geometry import Box, Size

MOST_STEPS = 2000
MOST_POINTS = 100_000
"""Points of all strokes and outlines of a mask together."""
FARTHEST = 1e6
"""Farthest that a point may be from the picture's corner, in px."""


@dataclass(frozen=True, slots=True)
class Stroke:
    """A stroke of the brush or the eraser. Each point has a pressure from 0 to 1, which scales the radius."""

    KIND: ClassVar[str] = "stroke"

    points: tuple[float, ...] = setting((), "x, y, pressure, x, y, pressure …")
    radius: float = number(24.0, 0.5, 8192, "Radius of the brush at full pressure.", "px")
    hardness: float = number(
        0.7, 0, 1, "Share of the radius that covers wholly; the rest falls off."
    )
    erase: bool = setting(False, "Whether it takes away.")

    def __post_init__(self) -> None:
        check_fields(self)
        require_points(self.points, 3, 1)


@dataclass(frozen=True, slots=True)
class Outline:
    """An area within a closed line; where the line crosses itself, every second area."""

    KIND: ClassVar[str] = "outline"

    points: tuple[float, ...] = setting((), "x, y, x, y …")
    erase: bool = setting(False, "Whether it takes away.")

    def __post_init__(self) -> None:
        require_points(self.points, 2, 3)


@dataclass(frozen=True, slots=True)
class Ellipse:
    """An ellipse, turned about its middle."""

    KIND: ClassVar[str] = "ellipse"

    x: float = number(0.0, -FARTHEST, FARTHEST, "Middle, from the left.", "px")
    y: float = number(0.0, -FARTHEST, FARTHEST, "Middle, from the top.", "px")
    across: float = number(1.0, 0.5, FARTHEST, "Half its width before turning.", "px")
    down: float = number(1.0, 0.5, FARTHEST, "Half its height before turning.", "px")
    turn: float = number(0.0, -360, 360, "Clockwise turn.", "degrees")
    erase: bool = setting(False, "Whether it takes away.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Rectangle:
    """An upright box."""

    KIND: ClassVar[str] = "rectangle"

    x: float = number(0.0, -FARTHEST, FARTHEST, "Left edge.", "px")
    y: float = number(0.0, -FARTHEST, FARTHEST, "Top edge.", "px")
    width: float = number(1.0, 0.5, FARTHEST, "Width.", "px")
    height: float = number(1.0, 0.5, FARTHEST, "Height.", "px")
    erase: bool = setting(False, "Whether it takes away.")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Fill:
    """All of the picture."""

    KIND: ClassVar[str] = "fill"


@dataclass(frozen=True, slots=True)
class Invert:
    """Exchanges covered and free."""

    KIND: ClassVar[str] = "invert"


@dataclass(frozen=True, slots=True)
class Grow:
    """Everything drawn before reaches farther out, or less far when negative."""

    KIND: ClassVar[str] = "grow"

    by: float = number(8.0, -4096, 4096, "How far the edge moves outwards.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Feather:
    """The edges of everything drawn before become softer; half of it lies within the edge."""

    KIND: ClassVar[str] = "feather"

    by: float = number(16.0, 0, 4096, "Width of the soft edge.", "px")

    def __post_init__(self) -> None:
        check_fields(self)


Step = Stroke | Outline | Ellipse | Rectangle | Fill | Invert | Grow | Feather


@dataclass(frozen=True, slots=True)
class Mask:
    """Steps drawn one after the other. Without any it covers nothing."""

    size: tuple[int, int] = setting(
        (1, 1), "Width and height of the picture it was drawn on, in px."
    )
    steps: tuple[Step, ...] = setting((), "What was drawn, in order.")

    def __post_init__(self) -> None:
        fits = len(self.size) == 2 and min(self.size) >= 1 and max(self.size) <= FARTHEST
        require(fits, "size", list(self.size), "the width and height that it was drawn on, in px")
        require(len(self.steps) <= MOST_STEPS, "steps", f"{len(self.steps)} steps",
                f"at most {MOST_STEPS}; begin a new mask, or use an outline for large areas")  # fmt: skip
        numbers = sum(len(step.points) for step in self.steps if isinstance(step, Stroke | Outline))
        require(numbers <= 3 * MOST_POINTS, "steps", f"{numbers} numbers",
                f"strokes and outlines of at most {MOST_POINTS} points together")  # fmt: skip

    @classmethod
    def from_json(cls, given: Any) -> "Mask":
        """Return a mask from its JSON form; a `FieldRefusal` names the step and field that is wrong."""
        return from_json(cls, given)

    def then(self, *steps: Step) -> "Mask":
        """Return this mask with further steps."""
        return replace(self, steps=(*self.steps, *steps))


def require_points(points: tuple[float, ...], each: int, least: int) -> None:
    """Refuse numbers that are not points of ``each`` numbers, or too few of them."""
    fits = (
        len(points) >= each * least
        and len(points) % each == 0
        and all(math.isfinite(one) and abs(one) <= FARTHEST for one in points)
    )
    require(fits, "points", list(points[:6]), f"at least {least} points of {each} numbers")


def box_mask(box: Box, size: Size, feather: float = 0.0) -> Mask:
    """Return a mask that covers a box of a picture, its soft edge inside the box.

    No softness along the picture's own edges, where there is nothing to join to.
    """
    soft = min(feather, *box.size)
    left = box.x - (soft if box.x <= 0 else 0)
    top = box.y - (soft if box.y <= 0 else 0)
    right = box.right + (soft if box.right >= size.width else 0)
    bottom = box.bottom + (soft if box.bottom >= size.height else 0)
    mask = Mask(size, (Rectangle(left * 1.0, top * 1.0, right - left * 1.0, bottom - top * 1.0),))
    return mask.then(Grow(-soft / 2), Feather(soft * 1.0)) if soft > 0 else mask
