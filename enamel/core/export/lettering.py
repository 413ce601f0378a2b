"""Text on sheets and strips: one shipped typeface, which has the signs of measures."""

from functools import lru_cache
from pathlib import Path

import PIL.ImageFont

FONT = Path(__file__).parent / "fonts" / "barlow-latin-500-normal.woff2"
"""Barlow Medium, SIL Open Font Licence 1.1; its licence lies beside it."""


@lru_cache(maxsize=16)
def font_of(height: int) -> PIL.ImageFont.FreeTypeFont:
    """Return the typeface at a size in px."""
    return PIL.ImageFont.truetype(FONT, height)


def lines_of(words: str, height: int, width: int, most: int) -> list[str]:
    """Return words in lines that fit a width in px; with too many, the last ends in an ellipsis."""
    font = font_of(height)
    lines: list[str] = []
    for word in words.split():
        longer = f"{lines[-1]} {word}" if lines else word
        if lines and font.getlength(longer) <= width:
            lines[-1] = longer
        else:
            lines.append(word)
    if len(lines) > most:
        last = lines[most - 1]
        while last and font.getlength(f"{last}…") > width:
            last = last[:-1]
        lines = [*lines[: most - 1], f"{last}…"]
    return lines
