"""Settings as artists write them in text fields: overlaps, prompts for parts, cuts of a contact sheet."""

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from enamel.core.errors import FieldRefusal
from enamel.core.intake.cuts import Cuts
from enamel.core.masks import Mask
from enamel.core.schedule import Adapter, Refine, Region

OVERLAP = re.compile(r"\s*(\d{1,6}(?:\.\d{1,6})?)\s*(px|%)?\s*")
REGION = re.compile(r"\s*" + r"([\d.]{1,12})\s*%?\s+" * 3 + r"([\d.]{1,12})\s*%?\s*:\s*(.+)")
UNKNOWN_MASK = "a mask no longer kept"
MOST_STRENGTHS = 6
LONGEST_NUMBER = 6
"""Digits of a length in px."""


def read_overlap(text: str) -> dict[str, Any]:
    """Return the settings of `Refine` for an overlap in px, or in % of the tile."""
    found = OVERLAP.fullmatch(text)
    if found is None:
        raise FieldRefusal("overlap", "Give px, as in 64, or a fraction of the tile, as in 25 %.")
    amount = float(found[1])
    if found[2] == "%":
        return {"overlap_fraction": amount / 100, "overlap": 0}
    return {"overlap": round(amount)}


def written_overlap(refine: Refine) -> str:
    """Return an overlap as text for `read_overlap`."""
    if refine.overlap_fraction is None:
        return f"{refine.overlap} px"
    return f"{refine.overlap_fraction * 100:g} %"


def read_adapters(text: str) -> tuple[Adapter, ...]:
    """Return adapters from lines of a name and, if it is not 1, a weight."""
    found = []
    for line in filter(None, map(str.strip, text.splitlines())):
        name, _, weight = line.partition(" ")
        try:
            found.append(Adapter(name, float(weight.strip() or 1)))
        except ValueError:
            raise FieldRefusal(
                "adapters",
                f"{line!r} is no adapter: give a name and a number, as in copper-line 0.8.",
            ) from None
    return tuple(found)


def written_adapters(adapters: Iterable[Adapter]) -> str:
    """Return adapters as text for `read_adapters`."""
    return "\n".join(f"{one.name} {one.weight:g}" for one in adapters)


def read_regions(text: str, masks: Mapping[str, Mask] | None = None) -> tuple[Region, ...]:
    """Return prompts for parts of the picture from a line for each: left, top, width, height in %, a
    colon, the prompt.

    In place of the box a line may name one of the masks.
    """
    regions = []
    named = {name.casefold(): mask for name, mask in (masks or {}).items()}
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        name, _, words = line.partition(":")
        mask = named.get(name.strip().casefold())
        if mask is not None and words.strip():
            regions.append(Region(prompt=words.strip(), mask=mask))
            continue
        found = REGION.fullmatch(line)
        fractions = _numbers(found.groups()[:4]) if found else []
        if found is None or len(fractions) != 4:
            raise FieldRefusal(
                "regions",
                f"Line {number} is not left, top, width and height in %, or the name of a kept mask; "
                "then a colon and words.",
            )
        left, top, width, height = (fraction / 100 for fraction in fractions)
        try:
            regions.append(Region((left, top, width, height), found[5].strip()))
        except FieldRefusal:
            raise FieldRefusal("regions", f"Line {number} leaves the picture.") from None
    return tuple(regions)


def written_regions(regions: Iterable[Region], masks: Mapping[str, Mask] | None = None) -> str:
    """Return prompts for parts as text for `read_regions`, with the masks' names."""
    names = {mask: name for name, mask in (masks or {}).items()}
    places = [
        names.get(region.mask, UNKNOWN_MASK)
        if region.mask is not None
        else " ".join(f"{100 * fraction:g}%" for fraction in region.box)
        for region in regions
    ]
    return "\n".join(
        f"{place}: {region.prompt}" for place, region in zip(places, regions, strict=True)
    )


def read_strengths(text: str) -> tuple[float, ...]:
    """Return denoising strengths separated by spaces or commas; a `FieldRefusal` when one is invalid."""
    found = _numbers(re.split(r"[\s,]+", text.strip()))
    if not found or not all(0 <= one <= 1 for one in found) or len(found) > MOST_STRENGTHS:
        raise FieldRefusal(
            "strengths", f"Give up to {MOST_STRENGTHS} numbers from 0 to 1, as in 0.35 0.5."
        )
    return tuple(dict.fromkeys(found))


def read_cuts(columns: str, rows: str) -> Cuts:
    """Return cuts from starts and ends in px, separated by spaces, commas or dashes."""
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
    """Return whole numbers of px, separated by spaces, commas or dashes; empty when one of them is
    invalid.
    """
    words = re.split(r"[\s,–]+", text.strip())
    if any(not word.isdecimal() or len(word) > LONGEST_NUMBER for word in words):
        return []
    return [int(word) for word in words]


def _numbers(words: Sequence[str]) -> list[float]:
    """Return texts as numbers; empty when one of them is invalid, such as 1.2.3."""
    try:
        return [float(word) for word in words]
    except ValueError:
        return []
