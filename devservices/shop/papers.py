"""The shop's papers: prices, limits, and how a picture looks on each."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image
import PIL.ImageFilter

PRICE_LIST = Path(__file__).parent / "price-list.json"
LONGEST_PROOF = 1000
SQUARE_MM = 1e6


@dataclass(frozen=True, slots=True)
class Paper:
    """A paper on the price list."""

    name: str
    title: str
    white: tuple[int, int, int]
    texture: float
    """Depth of its surface texture, in levels of 255."""
    gain: float
    """Dot gain at half tone, 0…1."""
    least_ppi: float
    most_ink: float
    """Ink limit at one place, in per cent."""
    bleed_mm: float
    """Bleed in mm, on each side."""
    widest_mm: float
    cents_per_m2: int


@dataclass(frozen=True, slots=True)
class PriceList:
    """Papers and terms."""

    currency: str
    setup_cents: int
    papers: tuple[Paper, ...]

    @classmethod
    def read(cls) -> "PriceList":
        given: dict[str, Any] = json.loads(PRICE_LIST.read_text())
        papers = tuple(
            Paper(**(form | {"white": tuple(form["white"])})) for form in given["papers"]
        )
        return cls(given["currency"], given["setup_cents"], papers)

    def paper(self, name: str) -> Paper | None:
        return next((paper for paper in self.papers if paper.name == name), None)

    def cents(self, paper: Paper, width_mm: float, height_mm: float, copies: int) -> int:
        """Price of an order: a fixed part, and one by area."""
        each = width_mm * height_mm / SQUARE_MM * paper.cents_per_m2
        return self.setup_cents + round(each * copies)


def on_paper(picture: PIL.Image.Image, paper: Paper) -> PIL.Image.Image:
    """Return a picture as it looks on a paper: with its white, dot gain and surface."""
    small = picture.convert("RGB")
    small.thumbnail((LONGEST_PROOF, LONGEST_PROOF))
    light = np.asarray(small, np.float32) / 255
    ink = 1 - light
    grown = np.clip(ink + 4 * paper.gain * ink * (1 - ink), 0, 1)
    shown = (1 - grown) * np.asarray(paper.white, np.float32)
    rough = np.random.default_rng(7).normal(0, 1, shown.shape[:2]).astype(np.float32)
    surface = PIL.Image.fromarray(np.clip(rough * 40 + 128, 0, 255).astype(np.uint8))
    surface = surface.filter(PIL.ImageFilter.GaussianBlur(1.2))
    waves = (np.asarray(surface, np.float32) - 128) / 12 * paper.texture
    return PIL.Image.fromarray(np.clip(shown + waves[..., None], 0, 255).astype(np.uint8))
