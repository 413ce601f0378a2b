"""The words that Grisaille understands, and which files say that they show what.

A word is taken in when at least eight source files name it; skin, hair, fur, feathers and leather
have too few in these packages to be learnt, so they are not promised.
"""

import re
from dataclasses import dataclass

import numpy as np

LOOSELY_NAMED = ("redeclipse-data", "warzone2100-data", "extremetuxracer-data")
"""Packages whose names say little of what their textures look like. Where all materials are put in order by
how near their mean statistics lie to a texture's, its own comes at 40 to 45 % of the list there, at 19 to
36 % in the others, by chance at 50 %."""


@dataclass(frozen=True)
class Material:
    """A word with its synonyms, the word itself first, and the file names that stand for it."""

    words: tuple[str, ...]
    names: str

    def is_in(self, file_name: str) -> bool:
        return (
            bool(self.names)
            and not file_name.startswith(LOOSELY_NAMED)
            and re.search(self.names, file_name, re.I) is not None
        )


MATERIALS = (
    Material(("wood", "wooden", "timber", "plank", "board", "oak", "log", "crate", "barrel"),
             r"wood|plank|crate|barrel|_logs?[_.]|parquet|fence"),
    Material(("bark", "trunk"), r"bark|trunk"),
    Material(("foliage", "leaf", "leaves", "bush", "hedge", "tree", "ivy", "fern"),
             r"leaf|leaves|bush|fern|foliage|ivy|palmtree|pine|conifer|vines|_tree"),
    Material(("grass", "meadow", "lawn", "straw", "hay", "wheat"), r"grass|wheat|hay|thatch|turf"),
    Material(("stone", "rock", "cliff", "gravel", "cobble", "granite", "ballast"),
             r"rock(?!et)|stone(?!wood)|cliff|gravel|basalt|strata|canyon|cobble"),
    Material(("brick", "brickwork", "bricks"), r"brick"),
    Material(("concrete", "plaster", "cement", "asphalt", "stucco", "mortar"),
             r"concrete|asphalt|stucco|plaster|cement|crete(base|floor|wall)"),
    Material(("metal", "steel", "iron", "copper", "brass", "tin", "boiler", "rail"),
             r"metal|mtl|steel|iron(?!ment)|chrome|girder|grate"),
    Material(("rust", "rusty", "rusted", "corrosion"), r"rust"),
    Material(("cloth", "fabric", "linen", "wool", "canvas", "curtain", "carpet", "coat", "uniform"),
             r"cloth|fabric|carpet|scarf|curtain|banner"),
    Material(("sand", "beach", "dune"), r"sand|beach|dune"),
    Material(("earth", "soil", "mud", "dirt"), r"dirt(?!y)|earth|mud|soil"),
    Material(("snow", "ice", "frost"), r"snow|[_.]ice[_.]|greenice|frozen"),
    Material(("water", "river", "sea", "lake", "wave"), r"water|ocean|river"),
    Material(("sky", "cloud", "clouds", "night sky", "steam", "smoke"), r"sky(?!scraper)|cloud|nebula"),
    Material(("tile", "ceramic", "marble", "mosaic", "enamel", "porcelain"),
             r"[_/]tiles?|ceramic|marble|mosaic"),
    Material(("roof", "shingle", "slate", "thatch"), r"roof|ceil_"),
    Material(("paper", "cardboard", "parchment", "newspaper", "book"),
             r"paper|cardboard|books|[_a-z]map_a|document|note\d"),
    Material(("glass", "window", "pane"), r"glass|window"),
    Material(("line art", "drawing", "lettering", "flat colour", "emblem", "sign"), ""),
)  # fmt: skip
VOCABULARY = tuple(material.words for material in MATERIALS)
LINE_ART = len(MATERIALS) - 1


def words_of(kind: str, file_name: str) -> np.ndarray:
    """Weights of the words for a source file, (words,) float32: equal shares, or all 0 if none."""
    weights = np.zeros(len(MATERIALS), np.float32)
    if kind == "drawing":
        weights[LINE_ART] = 1
    elif kind == "texture":
        for place, material in enumerate(MATERIALS):
            weights[place] = material.is_in(file_name)
    return weights / max(1.0, weights.sum())
