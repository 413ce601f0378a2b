"""Prompts for a checkpoint's own text encoders: weights, tokens, pieces.

A phrase in parentheses with a number, as in ``oak, (copper boiler:1.3), steam``, counts that many times as
much. A backslash before a parenthesis makes it a plain one.
"""

import re
from dataclasses import dataclass
from functools import lru_cache
from importlib import import_module
from pathlib import Path
from typing import Any

WEIGHTED = re.compile(r"(?<!\\)\(([^()]*?):\s*([0-9]*\.?[0-9]+)\s*(?<!\\)\)")
MOST_WEIGHT = 3.0


@dataclass(frozen=True, slots=True)
class Phrase:
    """A part of a prompt and what it counts for; 1 is plain."""

    text: str
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Count:
    """How much of a text encoder's room a prompt takes."""

    tokens: int
    room: int
    """Tokens that fit into one piece."""

    @property
    def pieces(self) -> int:
        """Pieces that the prompt is encoded in, one at least."""
        return max(1, -(-self.tokens // self.room))


def phrases_of(prompt: str) -> list[Phrase]:
    """Return the prompt in order, weighted phrases apart. Weights are cut to 0…3."""
    found: list[Phrase] = []
    place = 0
    for match in WEIGHTED.finditer(prompt):
        found.append(Phrase(prompt[place : match.start()]))
        found.append(Phrase(match[1], min(MOST_WEIGHT, float(match[2]))))
        place = match.end()
    found.append(Phrase(prompt[place:]))
    plain = [Phrase(re.sub(r"\\([()])", r"\1", phrase.text), phrase.weight) for phrase in found]
    return [phrase for phrase in plain if phrase.text.strip()]


def counted(prompt: str, vocabulary: Path, room: int) -> Count:
    """Return how many tokens a prompt has.

    Parameters
    ----------
    vocabulary : a tokenizer's file, as `intake` keeps it beside the card.
    room : tokens that fit into one piece.
    """
    known = _tokenizer(vocabulary, vocabulary.stat().st_mtime_ns)
    texts = [phrase.text for phrase in phrases_of(prompt)]
    tokens = sum(len(known.encode(text, add_special_tokens=False).ids) for text in texts)
    return Count(tokens, room)


@lru_cache(maxsize=4)
def _tokenizer(path: Path, changed: int) -> Any:
    return import_module("tokenizers").Tokenizer.from_file(str(path))
