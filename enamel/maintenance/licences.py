"""What Enamel is made of, and under which licences, from its bill of materials."""

import json
from collections import defaultdict
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

FILE = Path(__file__).with_name("bill-of-materials.cdx.json")
"""A CycloneDX file; `python -m tools.bill_of_materials` writes it."""
KIND = "enamel:kind"
"""Name of the property that tells what kind of part a component is."""
KINDS = PACKAGES, SCRIPTS_AND_FONTS, MODELS, COLOUR_PROFILES = (
    "Python packages", "Scripts and fonts", "Models", "Colour profiles",
)  # fmt: skip


@dataclass(frozen=True)
class Part:
    """A package, script, font, model or profile."""

    name: str
    version: str
    licence: str


@lru_cache
def parts() -> dict[str, list[Part]]:
    """Return all parts by their kind, in the order of their names, as `KINDS` are in order."""
    found: dict[str, list[Part]] = defaultdict(list)
    for one in json.loads(FILE.read_text())["components"]:
        (kind,) = (item["value"] for item in one["properties"] if item["name"] == KIND)
        licences = (
            item.get("expression") or item["license"].get("id") or item["license"]["name"]
            for item in one["licenses"]
        )  # fmt: skip
        found[kind].append(Part(one["name"], one.get("version", ""), ", ".join(licences)))
    return {kind: sorted(found[kind], key=lambda part: part.name) for kind in KINDS}
