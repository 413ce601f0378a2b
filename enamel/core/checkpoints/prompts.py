"""Prompts for a checkpoint's own text encoders: weights, tokens, pieces.

A phrase in parentheses with a number, as in ``oak, (copper boiler:1.3), steam``, has that weight. A
backslash before a parenthesis makes it a plain character.
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
    """A part of a prompt and its weight; 1 is normal."""

    text: str
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class TokenCount:
    """Number of tokens in a prompt, and the text encoder's limit."""

    tokens: int
    room: int
    """Tokens that fit into one piece."""

    @property
    def pieces(self) -> int:
        """Number of pieces that the prompt is encoded in, at least one."""
        return max(1, -(-self.tokens // self.room))


def phrases_of(prompt: str) -> list[Phrase]:
    """Return the phrases of a prompt in order, with their weights, which are clipped to 0…3."""
    found: list[Phrase] = []
    place = 0
    for match in WEIGHTED.finditer(prompt):
        found.append(Phrase(prompt[place : match.start()]))
        found.append(Phrase(match[1], min(MOST_WEIGHT, float(match[2]))))
        place = match.end()
    found.append(Phrase(prompt[place:]))
    plain = [Phrase(re.sub(r"\\([()])", r"\1", phrase.text), phrase.weight) for phrase in found]
    return [phrase for phrase in plain if phrase.text.strip()]


def counted(prompt: str, vocabulary: Path, room: int) -> TokenCount:
    """Count the tokens of a prompt.

    Parameters
    ----------
    vocabulary : a tokenizer's file, which `intake` stores beside the card.
    room : tokens that fit into one piece.
    """
    known = _tokenizer(vocabulary, vocabulary.stat().st_mtime_ns)
    texts = [phrase.text for phrase in phrases_of(prompt)]
    tokens = sum(len(known.encode(text, add_special_tokens=False).ids) for text in texts)
    return TokenCount(tokens, room)


@lru_cache(maxsize=4)
def _tokenizer(path: Path, changed: int) -> Any:
    return import_module("tokenizers").Tokenizer.from_file(str(path))
