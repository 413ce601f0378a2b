"""How a picture was made, as read from the text in its file.

Nothing is guessed from the pixels. The IPTC properties for AI-made pictures are understood, and, in any
other text, pairs of a name and a value: ``name: value`` lines, JSON objects, and lists of pairs on one
line. The raw text is always kept beside it, so that nothing is lost when nothing is recognised.
"""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields

from enamel.core.errors import Refusal
from enamel.core.fields import from_json, setting, to_json
from enamel.core.intake.xmp import properties
from enamel.core.jsontext import read_json, storable

MAX_VALUE = 10_000


@dataclass(frozen=True, slots=True)
class Provenance:
    """How a picture was made; empty where its file does not say."""

    prompt: str = setting("", "What was asked for.")
    negative_prompt: str = setting("", "What was to be avoided.")
    seed: str = setting("", "Seed of the noise.")
    model: str = setting("", "The model that made it.")
    size: str = setting("", "Size it was made at.")

    def __bool__(self) -> bool:
        return any(getattr(self, spec.name) for spec in fields(self))

    def written(self) -> str:
        """Return a text for IPTC's prompt information, which `pairs_in` reads back."""
        lines = [
            f"{spec.name.replace('_', ' ')}: {getattr(self, spec.name)}"
            for spec in fields(self)
            if getattr(self, spec.name) and spec.name != "model"
        ]
        return "\n".join(lines)

    @property
    def seed_number(self) -> int | None:
        """The seed, when it is a whole number."""
        return int(self.seed) if self.seed.isdecimal() and len(self.seed) < 20 else None

    @classmethod
    def from_json(cls, given: object) -> "Provenance":
        return from_json(cls, given)

    def to_json(self) -> dict[str, object]:
        form: dict[str, object] = to_json(self)
        return form


NAMES = {
    "prompt": ("prompt", "positiveprompt", "description", "imagedescription", "text"),
    "negative_prompt": ("negativeprompt", "negative", "avoid"),
    "seed": ("seed", "noiseseed", "randomseed"),
    "model": ("model", "modelname", "checkpoint", "network", "aisystemused"),
    "size": ("size", "resolution", "dimensions"),
}
"""Names of each fact, in lower case, the most reliable first."""
KNOWN = {name: fact for fact, names in NAMES.items() for name in names}
ONE_LINE = {"seed", "model", "size"}
"""Facts that are never longer than a line."""
SETTINGS = {
    "steps", "sampler", "scheduler", "guidance", "guidancescale", "strength", "denoisingstrength",
    "width", "height", "version", "software", "date",
}  # fmt: skip
"""Names of settings that are ignored, and that end a prompt."""
PAIR = re.compile(r"^\s*[\"']?([A-Za-z][\w \-]{1,30}?)[\"']?\s*[:=]\s*(.+?)\s*$")
LIST = re.compile(r"\s*([A-Za-z][\w \-]{1,30}?)\s*:\s*([^,:]+)(?:,|$)")
LEAST_OF_A_LIST = 2
"""Least number of pairs on one line, separated by commas, for it to count as a list of pairs."""


def made(text: Mapping[str, str]) -> Provenance:
    """Return how a picture was made, from the texts in its file, by the name each is stored under.

    IPTC properties take precedence over names of PNG and EXIF entries, and these over pairs within texts.
    """
    found: dict[str, str] = {}

    def take(pairs: Iterable[tuple[str, str]]) -> None:
        for name, value in pairs:
            fact = _fact(name)
            if fact and value.strip():
                found.setdefault(fact, storable(value[:MAX_VALUE]).strip())

    if "XMP" in text:
        take(_iptc(properties(text["XMP"])))
    plain = {name: value for name, value in text.items() if name != "XMP"}
    within = {name: pairs_in(value) for name, value in plain.items()}
    take((name.removeprefix("EXIF "), plain[name]) for name in plain if not within[name])
    for pairs in within.values():
        take(pairs)
    return Provenance(**found)


def _iptc(known: Mapping[str, str]) -> list[tuple[str, str]]:
    """Return the properties of IPTC Photo Metadata 2025.1 that say how a picture was made."""
    prompt = known.get("AIPromptInformation", "")
    pairs = pairs_in(prompt)
    model = " ".join(
        known.get(name, "") for name in ("AISystemUsed", "AISystemVersionUsed")
    ).strip()
    return [*pairs, *([] if pairs else [("prompt", prompt)]), ("model", model)]


def pairs_in(text: str) -> list[tuple[str, str]]:
    """Return names and values within a text: those of a JSON object, of ``name: value`` lines, or of a
    list.

    A text of several lines whose first lines are no pairs begins with the prompt itself, when pairs
    follow.
    """
    if text.lstrip().startswith("{"):
        try:
            return list(_flat(read_json(text, any_text=True)))
        except Refusal:
            return []
    pairs: list[tuple[str, str]] = []
    before: list[str] = []
    for line in text.splitlines():
        listed = LIST.findall(line)
        single = PAIR.match(line)
        if len(listed) >= LEAST_OF_A_LIST and any(_known(name) for name, _ in listed):
            pairs += listed
        elif single and (_known(single[1]) or _is_setting(single[1])):
            pairs.append((single[1], single[2]))
        elif pairs and _fact(pairs[-1][0]) in ONE_LINE:
            continue
        elif pairs and line.strip():
            name, value = pairs[-1]
            pairs[-1] = (name, f"{value}\n{line.strip()}")
        elif line.strip():
            before.append(line.strip())
    return [*([("prompt", "\n".join(before))] if pairs and before else []), *pairs]


def _bare(name: str) -> str:
    return re.sub(r"[^a-z]", "", name.lower())


def _fact(name: str) -> str | None:
    """Return the fact with a name, if there is one."""
    return KNOWN.get(_bare(name))


def _known(name: str) -> bool:
    return _bare(name) in KNOWN


def _is_setting(name: str) -> bool:
    """Return whether a name belongs to another setting, which ends the text before it."""
    return _bare(name) in SETTINGS


def _flat(value: object) -> Iterable[tuple[str, str]]:
    """Return names and plain values of a JSON object and the objects within it."""
    if not isinstance(value, dict):
        return
    for name, inner in value.items():
        if isinstance(inner, str | int | float) and not isinstance(inner, bool):
            yield str(name), str(inner)
        elif isinstance(inner, dict):
            yield from _flat(inner)
