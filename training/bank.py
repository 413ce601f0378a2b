"""Fills the bank of pairs for refiners: sharp squares, and the same reduced and enlarged by an upscaler.

`python -m training.bank [--upscaler vitreous] [--count 4000] [--faces]` stores pairs under
``training/cache/bank``, by split and kind, until there are ``count`` of them for training and a tenth of
that for tests. They are stored because running an upscaler for each batch would take longer than the
training step. Each square gives many patches. Run it again when the upscaler has changed.
"""

import argparse
import shutil

import numpy as np

from enamel.core.geometry import Size
from enamel.core.imaging.canvas import Pixels, to_eight_bits
from enamel.core.networks.cards import card
from training.measures import enlarge, to_samples
from training.pairs import Degradation, Pictures, degrade
from training.sources import CACHE

BANK = CACHE / "bank"
SIDE = 256
RIM = 16
"""Pixels cut off on each side, where the upscaler lacked the picture beyond the edge."""
SHARES = {"photo": 0.35, "painting": 0.2, "texture": 0.3, "drawing": 0.15}
CHANCES = (
    (Degradation(4, 0.3, 1.0, (80, 98), 0.3), 0.4),
    (Degradation(4), 0.3),
    (Degradation(2, 0.3, 1.0, (80, 98), 0.3), 0.3),
)
"""How squares are degraded, with the share of each."""


def pair(pictures: Pictures, upscaler: str, rng: np.random.Generator) -> tuple[np.ndarray, str]:
    """(2, side, side, 3) uint8: sharp and enlarged again; and the file it comes from, under its kind."""
    sharp, path = pictures.square(SIDE, rng)
    degradation = CHANCES[rng.choice(len(CHANCES), p=[chance for _, chance in CHANCES])][0]
    small = Pixels(to_samples(degrade(sharp, degradation, rng)))
    large = to_eight_bits(enlarge(small, Size(SIDE, SIDE), upscaler))
    both = np.stack([sharp, large])
    return both[:, RIM:-RIM, RIM:-RIM], f"{path.parent.name}/{path.stem}"


def fill(upscaler: str, count: int, shares: dict[str, float]) -> None:
    """Add the missing pairs of some kinds; start afresh when the upscaler is another than before."""
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
