"""Numbers in what was sent: whole ones, short enough to be meant."""

from collections.abc import Iterable


def whole_number(text: str | None, digits: int = 9) -> int | None:
    """The whole number that a text is; None when it is none, or has more digits than that."""
    return int(text) if text and text.isdecimal() and len(text) <= digits else None


def lengths(words: Iterable[str]) -> list[int]:
    """Words as whole numbers of px; empty when one of them is none."""
    found = [whole_number(word, 6) for word in words]
    return [number for number in found if number is not None] if None not in found else []
