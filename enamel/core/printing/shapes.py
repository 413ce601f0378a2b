"""Products to print on: outline, folds, safe area. They are plain files, which a workshop can add to.

A file of a product is JSON: ``name``, ``group``, ``width_mm``, ``height_mm``, ``bleed_mm``, ``wrap_mm`` and
``shape``, whose fields are those of `Shape`. Enamel's own are in ``enamel/core/printing/products``, a
workshop's in the folder that ``ENAMEL_PRODUCTS`` names.
"""

import json
import os
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from pathlib import Path
from typing import Any

from enamel.core.errors import FieldRefusal, Refusal, require
from enamel.core.fields import check_fields, from_json, number, setting

SHIPPED = Path(__file__).parent / "products"
MOST_FOLDS = 12


class Outline(StrEnum):
    """Outlines of a print."""

    RECTANGLE = "rectangle"
    ROUNDED = "rounded"
    ROUND = "round"


class Direction(StrEnum):
    """Directions of a fold."""

    DOWN = "down"
    ACROSS = "across"


@dataclass(frozen=True, slots=True)
class Fold:
    """A straight fold."""

    way: Direction = setting(Direction.DOWN, "Whether it runs from top to bottom or across.")
    at_mm: float = number(0.0, 0, 20_000, "From the left or the top of the trim.", "mm")

    def __post_init__(self) -> None:
        check_fields(self)


@dataclass(frozen=True, slots=True)
class Shape:
    """How a print is cut and folded, with its safe area."""

    outline: Outline = setting(Outline.RECTANGLE, "How its edge runs.")
    corner_mm: float = number(0.0, 0, 500, "Radius of rounded corners.", "mm")
    safe_mm: float = number(0.0, 0, 500, "From the edge, where nothing that matters lies.", "mm")
    folds: tuple[Fold, ...] = setting((), "Where it is folded.")

    def __post_init__(self) -> None:
        check_fields(self)
        require(len(self.folds) <= MOST_FOLDS, "folds", len(self.folds), f"at most {MOST_FOLDS}")


@dataclass(frozen=True, slots=True)
class Product:
    """A product that shops print on."""

    name: str = setting("", "What it is called in lists.")
    group: str = setting("Product", "With what it is listed.")
    width_mm: float = number(100.0, 1, 20_000, "Width after trimming.", "mm")
    height_mm: float = number(100.0, 1, 20_000, "Height after trimming.", "mm")
    bleed_mm: float = number(0.0, 0, 100, "Bleed on every side.", "mm")
    wrap_mm: float = number(0.0, 0, 150, "Depth of the frame it is wrapped around.", "mm")
    shape: Shape = setting(Shape(), "Outline, safe area, folds.")

    def __post_init__(self) -> None:
        check_fields(self)
        require(0 < len(self.name) <= 60, "name", self.name, "1 to 60 letters")


def products() -> list[Product]:
    """Return all products, a workshop's own after the shipped ones.

    Raises
    ------
    Refusal
        When a workshop's file is not a valid product; the message names the file and the fault.
    """
    own = os.environ.get("ENAMEL_PRODUCTS", "")
    folders = [SHIPPED, *([Path(own)] if own else [])]
    paths = [path for folder in folders for path in sorted(folder.glob("*.json"))]
    return [_read(path, path.stat().st_mtime_ns) for path in paths]


def product_of(name: str) -> Product | None:
    """Return a product by its name."""
    return next((product for product in products() if product.name == name), None)


@lru_cache(maxsize=256)
def _read(path: Path, changed: int) -> Product:
    """Return the product in a file; read again only when the file changes."""
    try:
        given: Any = json.loads(path.read_text())
        return from_json(Product, given)
    except (ValueError, FieldRefusal) as error:
        raise Refusal(f"{path.name} is no product: {error} Correct it or remove it.") from None
