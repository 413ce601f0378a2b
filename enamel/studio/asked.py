"""Numbers and ids in what was sent: what is none is nobody's."""

from collections.abc import Iterable
from contextlib import suppress
from uuid import UUID


def whole_number(text: str | None, digits: int = 9) -> int | None:
    """The whole number that a text is; None when it is none, or has more digits than that."""
    return int(text) if text and text.isdecimal() and len(text) <= digits else None


def signed_number(text: str | None) -> int | None:
    """The whole number that a text is, which may be negative; None when it is none."""
    found = whole_number(text.removeprefix("-") if text else None)
    return -found if found is not None and text and text.startswith("-") else found


def whole_numbers(texts: Iterable[str]) -> list[int]:
    """Those of several texts that are whole numbers."""
    return [found for found in map(whole_number, texts) if found is not None]


def ids(texts: Iterable[str]) -> list[UUID]:
    """Those of several texts that are ids."""
    found = []
    for text in texts:
        with suppress(ValueError):
            found.append(UUID(text))
    return found
