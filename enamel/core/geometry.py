"""Sizes and boxes on the pixel grid. Origin at the top left, x to the right, y down, all in px."""

from dataclasses import dataclass
from typing import NamedTuple


class Size(NamedTuple):
    """Width and height in px."""

    width: int
    height: int

    @property
    def megapixels(self) -> float:
        return self.width * self.height / 1e6

    def scaled(self, factor: float) -> "Size":
        """Return the size times a factor, to the nearest px, at least one px a side."""
        return Size(max(1, round(self.width * factor)), max(1, round(self.height * factor)))

    def rounded_up(self, grid: int) -> "Size":
        """Return the next size whose sides are multiples of ``grid``."""
        return Size(-(-self.width // grid) * grid, -(-self.height // grid) * grid)

    def __str__(self) -> str:
        return f"{self.width} × {self.height} px"


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle of whole pixels: columns x … x+width−1, rows y … y+height−1."""

    x: int
    y: int
    width: int
    height: int

    @classmethod
    def whole(cls, size: Size) -> "Box":
        return cls(0, 0, size.width, size.height)

    @classmethod
    def between(cls, left: int, top: int, right: int, bottom: int) -> "Box":
        return cls(left, top, right - left, bottom - top)

    @property
    def right(self) -> int:
        return self.x + self.width

    @property
    def bottom(self) -> int:
        return self.y + self.height

    @property
    def size(self) -> Size:
        return Size(self.width, self.height)

    @property
    def area(self) -> int:
        return self.width * self.height

    @property
    def empty(self) -> bool:
        return self.width <= 0 or self.height <= 0

    def grown(self, margin: int) -> "Box":
        """This box with ``margin`` more px on every side (fewer when negative)."""
        return Box(
            self.x - margin, self.y - margin, self.width + 2 * margin, self.height + 2 * margin
        )

    def intersection(self, other: "Box") -> "Box":
        """Return the intersection of both; a box of no width or height when they don't meet."""
        left, top = max(self.x, other.x), max(self.y, other.y)
        right, bottom = min(self.right, other.right), min(self.bottom, other.bottom)
        return Box.between(left, top, max(left, right), max(top, bottom))

    @property
    def transposed(self) -> "Box":
        """The same box with rows and columns exchanged."""
        return Box(self.y, self.x, self.height, self.width)

    def around(self, other: "Box") -> "Box":
        """Return the smallest box that covers both."""
        return Box.between(
            min(self.x, other.x),
            min(self.y, other.y),
            max(self.right, other.right),
            max(self.bottom, other.bottom),
        )

    def contains(self, other: "Box") -> bool:
        return (
            self.x <= other.x
            and self.y <= other.y
            and other.right <= self.right
            and other.bottom <= self.bottom
        )

    def distance_squared(self, other: "Box") -> float:
        """Return the squared distance between the centres, in px²."""
        across = self.x + self.width / 2 - other.x - other.width / 2
        down = self.y + self.height / 2 - other.y - other.height / 2
        return across * across + down * down

    def snapped_out(self, grid: int) -> "Box":
        """Return the smallest box on the grid that covers this one."""
        left, top = self.x // grid * grid, self.y // grid * grid
        return Box.between(left, top, -(-self.right // grid) * grid, -(-self.bottom // grid) * grid)

    def scaled(self, factor: float) -> "Box":
        """Return the same place on a picture enlarged by a factor, at least one px a side."""
        left, top, right, bottom = (
            round(side * factor) for side in (self.x, self.y, self.right, self.bottom)
        )
        return Box.between(left, top, max(right, left + 1), max(bottom, top + 1))

    def relative_to(self, origin: "Box") -> "Box":
        """Return the same pixels, counted from the corner of ``origin``."""
        return Box(self.x - origin.x, self.y - origin.y, self.width, self.height)

    @property
    def slices(self) -> tuple[slice, slice]:
        """Index of these pixels in an array of rows and columns."""
        return slice(self.y, self.bottom), slice(self.x, self.right)

    def __str__(self) -> str:
        return f"{self.width} × {self.height} px at {self.x}, {self.y}"


def cells(region: Box, width: int, height: int) -> list[Box]:
    """``region`` cut along the lines of a grid that begins at the picture's origin."""
    aligned = Box.between(
        region.x // width * width, region.y // height * height, region.right, region.bottom
    )
    return [cell.intersection(region) for cell in blocks(aligned, width, height)]


def blocks(region: Box, width: int, height: int) -> list[Box]:
    """``region`` cut into boxes of at most ``width`` × ``height``, row by row from its corner."""
    return [
        Box(x, y, min(width, region.right - x), min(height, region.bottom - y))
        for y in range(region.y, region.bottom, height)
        for x in range(region.x, region.right, width)
    ]
