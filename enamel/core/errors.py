"""Core's exceptions. Each message is a sentence for the person who can act on it."""

import reprlib
from pathlib import Path
from typing import Any

BRIEFLY = reprlib.Repr()
BRIEFLY.maxstring = BRIEFLY.maxother = BRIEFLY.maxlong = 120
BRIEFLY.maxlist = BRIEFLY.maxtuple = BRIEFLY.maxdict = 8
BRIEFLY.maxlevel = 4


class Refusal(ValueError):
    """Something the artist gave can't be used; the message says what is wrong and what to do."""


class FieldRefusal(Refusal):
    """A named setting is out of its range. ``field`` is its path, as in ``coats[0].refine.steps``."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.field = field
        self.message = message

    def under(self, prefix: str) -> "FieldRefusal":
        """Return the same refusal with a longer path, as seen from one level further out."""
        joint = "" if self.field.startswith("[") else "."
        return FieldRefusal(f"{prefix}{joint}{self.field}", self.message)


class Stopped(Exception):
    """The artist, or a closing worker, asked the engine to stop. What was finished is kept."""


def require(holds: bool, field: str, value: Any, expected: str) -> None:
    """Refuse ``value`` for ``field`` unless ``holds``; ``expected`` completes 'must be …'."""
    if not holds:
        raise FieldRefusal(field, f"{shortened(value)} can't be used; must be {expected}.")


def shortened(value: Any) -> str:
    """Return a value as it is shown in a message, however large or deep it is."""
    return BRIEFLY.repr(value)


def plainly(error: Exception, path: Path) -> str:
    """Return the first sentence of a library's error message, without paths."""
    lines = str(error).replace(str(path), path.name).strip().splitlines()
    return (lines[0][:200] if lines else type(error).__name__).rstrip(".") + "."
