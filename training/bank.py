"""Squares made ahead for refiners: a sharp one, and what an upscaler makes of its reduced self.

`python -m training.bank [--upscaler vitreous] [--count 4000] [--faces]` stores pairs under
``training/cache/bank``, by split and kind, until there are ``count`` of them for training and a tenth of
that for tests. A network in the loader would take longer than the step it feeds; a square gives many
patches, and the engine's own path makes it, with margins and exact sizes. Make the bank anew when the
upscaler is another.
"""

import argparse
import shutil

import numpy as np

from enamel.core.geometry import Size
from enamel.core.imaging.canvas import Pixels, to_eight_bits
from enamel.core.networks.cards import card
from training.measures import enlarged, samples
from training.pairs import Faults, Pictures, reduced
from training.sources import CACHE

BANK = CACHE / "bank"
SIDE = 256
RIM = 16
"""Cut off on each side, where an upscaler that sees past the edge would have known more."""
SHARES = {"photo": 0.35, "painting": 0.2, "texture": 0.3, "drawing": 0.15}
CHANCES = (
    (Faults(4, 0.3, 1.0, (80, 98), 0.3), 0.4),
    (Faults(4), 0.3),
    (Faults(2, 0.3, 1.0, (80, 98), 0.3), 0.3),
)
"""What the upscaler is given, and how often."""


def pair(pictures: Pictures, upscaler: str, rng: np.random.Generator) -> tuple[np.ndarray, str]:
    """(2, side, side, 3) uint8: sharp and enlarged again; and the file it comes from, under its kind."""
    sharp, path = pictures.square(SIDE, rng)
    faults = CHANCES[rng.choice(len(CHANCES), p=[chance for _, chance in CHANCES])][0]
    small = Pixels(samples(reduced(sharp, faults, rng)))
    large = to_eight_bits(enlarged(small, Size(SIDE, SIDE), upscaler))
    both = np.stack([sharp, large])
    return both[:, RIM:-RIM, RIM:-RIM], f"{path.parent.name}/{path.stem}"


def fill(upscaler: str, count: int, shares: dict[str, float]) -> None:
    """Make what is missing of some kinds; everything, when the upscaler is another one than before."""
    stamp, digest = BANK / "made-by", card(upscaler, "upscaler").digest
    if not stamp.exists() or stamp.read_text() != digest:
        shutil.rmtree(BANK, ignore_errors=True)
        BANK.mkdir(parents=True)
        stamp.write_text(digest)
    for split, wanted in (("test", count // 10), ("train", count)):
        pictures = Pictures(split, shares)
        there = sum(1 for kind in shares for _ in (BANK / split / kind).glob("*.npy"))
        for number in range(there, wanted):
            both, name = pair(pictures, upscaler, np.random.default_rng([7, number]))
            target = BANK / split / f"{name}~{number}.npy"
            target.parent.mkdir(parents=True, exist_ok=True)
            np.save(target, both)
            if number % 500 == 499:
                print(f"{split}: {number + 1} pairs", flush=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--upscaler", default="vitreous")
    parser.add_argument("--count", type=int, default=4000)
    parser.add_argument("--faces", action="store_true", help="heads, after `training.heads`")
    chosen = parser.parse_args()
    fill(chosen.upscaler, chosen.count, {"face": 1.0} if chosen.faces else SHARES)
