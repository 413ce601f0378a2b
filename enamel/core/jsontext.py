"""Read JSON from outside: bounded in length, depth and numbers, with text that databases can store. Nothing
else parses foreign JSON.
"""

import json
import math
from typing import Any, NoReturn

from enamel.core.errors import Refusal

MOST_BYTES = 2_500_000
"""Longest text; the largest mask that can be drawn takes less."""
DEEPEST = 40
"""Deepest nesting of lists and objects."""


def read_json(text: str | bytes, *, most: int = MOST_BYTES, any_text: bool = False) -> Any:
    """Return the value of a JSON text.

    Parameters
    ----------
    most : longest text, in bytes or letters.
    any_text : whether text that can't be stored is returned as well, for callers that use `storable`.

    Raises
    ------
    Refusal
        When it is too long, too deeply nested, has invalid numbers or characters, or is not JSON.
    """
    if len(text) > most:
        raise Refusal(f"This JSON is longer than {most / 1e6:g} MB. Nothing was changed.")
    try:
        found = json.loads(text, parse_constant=_refuse_constant, parse_float=_finite)
    except RecursionError:
        raise Refusal(TOO_DEEP) from None
    except UnicodeDecodeError:
        raise Refusal("This JSON is not in UTF-8. Nothing was changed.") from None
    except ValueError as error:
        raise Refusal(f"This is no JSON ({_where(error)}). Nothing was changed.") from None
    _require_plain(found, any_text=any_text)
    return found


def storable(text: str) -> str:
    """Return a text without what databases can't store: NUL, and lone surrogates."""
    return text.replace("\x00", "").encode("utf-8", "replace").decode()


TOO_DEEP = f"This JSON has more than {DEEPEST} levels. Nothing was changed."
UNSTORABLE = (
    "This JSON holds characters that can't be stored: NUL, or half of one. Nothing was changed."
)


def _where(error: ValueError) -> str:
    if isinstance(error, json.JSONDecodeError):
        return f"line {error.lineno}, column {error.colno}"
    return "it holds a number that is too long or none"


def _refuse_constant(name: str) -> NoReturn:
    raise ValueError(name)


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


def _require_plain(value: Any, *, any_text: bool) -> None:
    """Check depth and text without recursion, so that no depth can break the check itself."""
    level = [value]
    for _ in range(DEEPEST + 1):
        for text in level:
            if isinstance(text, str) and not any_text and storable(text) != text:
                raise Refusal(UNSTORABLE)
        containers = [one for one in level if isinstance(one, dict | list)]
        if not containers:
            return
        level = [
            inner
            for one in containers
            for inner in ((*one, *one.values()) if isinstance(one, dict) else one)
        ]
    raise Refusal(TOO_DEEP)
