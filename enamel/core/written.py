"""Settings as artists write them: overlaps, words for parts of the picture, cuts of a contact sheet."""

import re
from collections.abc import Iterable, Sequence
from typing import Any

from enamel.core.base.cuts import Cuts
from enamel.core.errors import FieldRefusal
from enamel.core.schedule import Refine, Region

OVERLAP = re.compile(r"\s*(\d{1,6}(?:\.\d{1,6})?)\s*(px|%)?\s*")
REGION = re.compile(r"\s*" + r"([\d.]{1,12})\s*%?\s+" * 3 + r"([\d.]{1,12})\s*%?\s*:\s*(.+)")
LONGEST_NUMBER = 6
"""Digits of a length in px."""


def read_overlap(text: str) -> dict[str, Any]:
    """The settings of `Refine` that an overlap in px, or in % of the tile, stands for."""
    found = OVERLAP.fullmatch(text)
    if found is None:
        raise FieldRefusal("overlap", "Give px, as in 64, or a share of the tile, as in 25 %.")
    amount = float(found[1])
    if found[2] == "%":
        return {"overlap_share": amount / 100, "overlap": 0}
    return {"overlap": round(amount)}


def written_overlap(refine: Refine) -> str:
    """The overlap as `read_overlap` reads it."""
    if refine.overlap_share is None:
        return f"{refine.overlap} px"
    return f"{refine.overlap_share * 100:g} %"


def read_regions(text: str) -> tuple[Region, ...]:
    """Words for parts of the picture, a line for each: left, top, width, height in %, a colon, words."""
    regions = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        found = REGION.fullmatch(line)
        shares = _numbers(found.groups()[:4]) if found else []
        if found is None or len(shares) != 4:
            raise FieldRefusal(
                "regions",
                f"Line {number} is not left, top, width and height in %, a colon and words.",
            )
        left, top, width, height = (share / 100 for share in shares)
        try:
            regions.append(Region((left, top, width, height), found[5].strip()))
        except FieldRefusal:
            raise FieldRefusal("regions", f"Line {number} leaves the picture.") from None
    return tuple(regions)


def written_regions(regions: Iterable[Region]) -> str:
    """Words for parts as `read_regions` reads them."""
    return "\n".join(
        " ".join(f"{100 * share:g}%" for share in region.box) + f": {region.prompt}"
        for region in regions
    )


def read_cuts(columns: str, rows: str) -> Cuts:
    """Cuts from starts and ends in px, apart by spaces, commas or dashes."""
    spans = []
    for name, text in (("columns", columns), ("rows", rows)):
        numbers = read_lengths(text)
        if not numbers or len(numbers) % 2:
            raise FieldRefusal(
                name,
                f"Give a start and an end in px for each of the {name}, as in 0–512 528–1040.",
            )
        spans.append(tuple(zip(numbers[::2], numbers[1::2], strict=True)))
    return Cuts(*spans)


def read_lengths(text: str) -> list[int]:
    """Whole numbers of px, apart by spaces, commas or dashes; empty when one of them is none."""
    words = re.split(r"[\s,–]+", text.strip())
    if any(not word.isdecimal() or len(word) > LONGEST_NUMBER for word in words):
        return []
    return [int(word) for word in words]


def _numbers(words: Sequence[str]) -> list[float]:
    """Words as numbers; empty when one of them is none, such as 1.2.3."""
    try:
        return [float(word) for word in words]
    except ValueError:
        return []
