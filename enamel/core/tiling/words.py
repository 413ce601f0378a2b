"""Prompts for refiners with a vocabulary: known and unknown words, and which tiles get them."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from enamel.core.diffusion.denoiser import ModelSpec, Words
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray
from enamel.core.masks import RenderedMask
from enamel.core.schedule import Refine, Region

Vocabulary = Sequence[tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class Word:
    """A word or phrase of a prompt. ``means`` is the vocabulary's word for it, None if unknown."""

    text: str
    means: str | None


def understood(prompt: str, vocabulary: Vocabulary) -> list[Word]:
    """Return the prompt word by word, the longest phrases of the vocabulary taken together."""
    meanings = {
        tuple(synonym.lower().split()): words[0]
        for words in vocabulary
        for synonym in words
        if synonym.strip()
    }
    longest = max((len(phrase) for phrase in meanings), default=1)
    found: list[Word] = []
    words = re.findall(r"[\w'-]+", prompt)
    place = 0
    while place < len(words):
        for length in range(min(longest, len(words) - place), 0, -1):
            phrase = tuple(word.lower() for word in words[place : place + length])
            means = meanings.get(phrase) or meanings.get(
                (*phrase[:-1], phrase[-1].removesuffix("s"))
            )
            if means or length == 1:
                found.append(Word(" ".join(words[place : place + length]), means))
                place += length
                break
    return found


def hints(prompt: str, vocabulary: Vocabulary) -> FloatArray:
    """Return the weight of each word of the vocabulary, (words,) float32 summing to 1, or all 0."""
    weights = np.zeros(len(vocabulary), np.float32)
    index = {words[0]: place for place, words in enumerate(vocabulary)}
    for word in understood(prompt, vocabulary):
        if word.means is not None:
            weights[index[word.means]] += 1
    total = weights.sum()
    return weights / total if total else weights


# fmt: off
CLOTHES_AND_BODY = frozenset({
    "apron", "arm", "armor", "armour", "arms", "belt", "blouse", "body", "boot", "boots", "cap",
    "cape", "cloak", "clothes", "clothing", "coat", "collar", "corset", "costume", "cuff", "cuffs",
    "dress", "feet", "figure", "finger", "fingers", "foot", "full-body", "full-length", "gloves",
    "gown", "hand", "hands", "hat", "helmet", "hips", "hood", "jacket", "jewellery", "jewelry",
    "knee", "knees", "leg", "legs", "livery", "necklace", "outfit", "pose", "posing", "ring",
    "robe", "robes", "scarf", "shirt", "shoe", "shoes", "shoulder", "shoulders", "sitting",
    "skirt", "sleeve", "sleeves", "standing", "suit", "sweater", "tie", "torso", "trousers",
    "tunic", "uniform", "veil", "vest", "waist", "waistcoat", "walking", "wearing",
})
# fmt: on
"""Words about clothes, limbs and posture, which a network that sees only a face would paint into it."""


def about_the_face(prompt: str) -> str:
    """Return a prompt without the comma-separated phrases about clothes or the body."""
    phrases = [phrase.strip() for phrase in prompt.split(",")]
    kept = [
        phrase
        for phrase in phrases
        if phrase and not CLOTHES_AND_BODY & set(re.findall(r"[\w-]+", phrase.lower()))
    ]
    return ", ".join(kept)


LEAST_WEIGHT = 0.1
"""Fraction of a tile that a region must cover for the tile to get its prompt."""


@dataclass(frozen=True)
class Script:
    """The prompts of a pass, by tile.

    A tile gets the prompts of the regions that it touches, weighted by how much of it they cover, and for
    the rest the prompt of the whole picture: so a subject's words never reach tiles without it.
    """

    settings: Refine
    spec: ModelSpec
    size: Size

    def at(self, tile: Box) -> Words | None:
        """Return the prompt for a tile; None when the refiner takes none."""
        weights = [(region.prompt, self._covered(region, tile)) for region in self.settings.regions]
        left = max(0.0, 1 - sum(weight for _, weight in weights))
        if self.spec.reads_prompts:
            return self._written(
                [*sorted(weights, key=lambda one: -one[1]), (self.settings.prompt, left)]
            )
        vocabulary = self.spec.vocabulary
        if not vocabulary:
            return None
        total = np.zeros(len(vocabulary), np.float32)
        for prompt, weight in [*weights, (self.settings.prompt, left)]:
            total += np.float32(weight) * hints(prompt, vocabulary)
        return total

    def _written(self, weights: list[tuple[str, float]]) -> str:
        """Return the prompts with enough weight in a tile, the largest first, the whole picture's last."""
        counting = [prompt.strip() for prompt, weight in weights if weight >= LEAST_WEIGHT]
        return ", ".join(prompt for prompt in counting if prompt)

    def negative(self) -> Words | None:
        """Return the negative prompt; None when the refiner takes none."""
        if self.spec.reads_prompts:
            return self.settings.negative_prompt
        if not self.spec.vocabulary:
            return None
        return hints(self.settings.negative_prompt, self.spec.vocabulary)

    def _covered(self, region: Region, tile: Box) -> float:
        """Return the fraction of a tile that a region covers."""
        if region.mask is not None:
            return float(RenderedMask(region.mask, self.size).read(tile).mean())
        return self._box(region.box).intersection(tile).area / tile.area

    def _box(self, weights: tuple[float, float, float, float]) -> Box:
        left, top, width, height = weights
        return Box.between(
            round(left * self.size.width),
            round(top * self.size.height),
            round((left + width) * self.size.width),
            round((top + height) * self.size.height),
        )
