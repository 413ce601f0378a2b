"""Names of print files by a pattern: safe on every system, and unique."""

import re
from collections.abc import Set
from dataclasses import asdict, dataclass, fields

from enamel.core.errors import require
from enamel.core.export.output import Output

USUAL = "{title}-{layer}-{width}x{height}"
LONGEST = 80
"""Most bytes of a name without its suffix; the rest of a path needs room, too."""
LONGEST_PATTERN = 120
PREVIEW = "-preview"
RESERVED = re.compile(r"^(con|prn|aux|nul|com\d|lpt\d)$", re.IGNORECASE)
"""Names that some systems reserve for devices."""
PLACE = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True, slots=True)
class NameFields:
    """Facts that a name can contain; unknown ones are left out."""

    title: str
    layer: str = ""
    width: int = 0
    height: int = 0
    ppi: int = 0
    paper: str = ""
    profile: str = ""
    seed: str = ""
    date: str = ""


PLACES = tuple(spec.name for spec in fields(NameFields))
"""Placeholders: the names allowed in curly brackets."""


def named(
    pattern: str,
    facts: NameFields,
    output: Output,
    taken: Set[str] = frozenset(),
    suffix: str = "",
) -> str:
    """Return a file's name by a pattern.

    Parameters
    ----------
    pattern : text with places such as ``{title}``, see `PLACES`.
    taken : existing names; the new one gets a number if it is among them.
    suffix : its suffix, where the kind of file does not determine it.

    Raises
    ------
    FieldRefusal
        When the pattern has an unknown placeholder.
    """
    known = {name: str(value) for name, value in asdict(facts).items()}
    asked = PLACE.findall(pattern)
    unknown = next((place for place in asked if place not in known), None)
    fits = unknown is None and not set("{}") & set(PLACE.sub("", pattern))
    require(fits and len(pattern) <= LONGEST_PATTERN, "pattern", pattern,
            f"at most {LONGEST_PATTERN} letters with places such as {{title}}; known are "
            f"{', '.join(PLACES)}")  # fmt: skip
    ending = PREVIEW if output.preview else ""
    text = PLACE.sub(lambda place: known[place[1]], pattern)
    stem = safe(text, "picture", LONGEST - len(ending))
    suffix = suffix or output.file.suffix
    name, number = f"{stem}{ending}{suffix}", 2
    folded = {_folded(other) for other in taken}
    while _folded(name) in folded:
        more = f"-{number}"
        stem = safe(text, "picture", LONGEST - len(ending) - len(more))
        name, number = f"{stem}{more}{ending}{suffix}", number + 1
    return name


def _folded(name: str) -> str:
    """Return a form that is equal for names which some system may treat as the same: ı, I and i, for
    example.
    """
    return name.upper().casefold()


def safe(text: str, otherwise: str, longest: int = LONGEST) -> str:
    """Return a text as part of a file name that is safe on any system: letters, digits, dots, hyphens,
    underscores.
    """
    kept = re.sub(r"[^\w.-]", "", re.sub(r"\s+", "_", text.strip()))
    kept = re.sub(r"-{2,}", "-", kept).strip("._-")
    short = kept.encode()[:longest].decode(errors="ignore").strip("._-")
    return f"{short}_" if RESERVED.match(short.partition(".")[0]) else short or otherwise
