"""Measures refiners: detail, tone, change by strength and by seed, samplers, words."""

import warnings
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import chain, zip_longest
from pathlib import Path

import cv2
import numpy as np

from enamel.core.diffusion.samplers import Sampler
from enamel.core.imaging.canvas import SampleArray
from enamel.core.intake.subject import SUITED
from enamel.core.schedule import Mode, Refine
from training.materials import MATERIALS, words_of
from training.measures import (
    character,
    enlarge,
    grey,
    low_psnr,
    psnr,
    roughness,
    specks,
    to_samples,
    top_octave,
)
from training.sources import CACHE
from training.testpictures import SUBJECTS, crop_middle, reduce_picture, refine, size_of, squares

SOURCES = ((2, "lanczos"), (2, "vitreous"), (4, "vitreous"))
"""Factor and upscaler of what is refined."""
STRENGTHS = (0.15, 0.3, 0.5, 0.8)
SEEDS_AT = 0.5
"""Strength at which two seeds are compared."""
SUITED_REFINER = "suited"
PLACE = 9
"""Side in px of the square whose deviation tells textured places from flat ones."""
TEXTURED, FLAT = 8.0, 1.0
"""Textured is where the truth deviates by more, flat where the source deviates by less, in 8-bit levels."""
SMALL = 256
"""Side in px of the squares that take many steps."""
LEAST = 400
"""Pixels that a kind of place needs to count."""


@dataclass(frozen=True)
class Places:
    """A picture with what was made of it, and which of its places are textured and which flat."""

    truth: np.ndarray
    source: np.ndarray
    textured: np.ndarray
    flat: np.ndarray

    @classmethod
    def of(cls, sharp: np.ndarray, large: SampleArray) -> "Places":
        truth, source = grey(to_samples(sharp)), grey(large)
        return cls(truth, source, deviation(truth) * 255 > TEXTURED, deviation(source) * 255 < FLAT)

    def moved(self, result: np.ndarray, start: np.ndarray | None = None) -> tuple[float, float]:
        """RMS in 8-bit levels from the source, or another start, in textured and in flat places."""
        away = (result - (self.source if start is None else start)) * 255
        return rms(away[self.textured]), rms(away[self.flat])


def deviation(values: np.ndarray) -> np.ndarray:
    """Standard deviation around each pixel."""
    mean, square = (cv2.blur(part, (PLACE, PLACE)) for part in (values, values**2))
    return np.sqrt(np.maximum(square - mean**2, 0))


def rms(values: np.ndarray) -> float:
    return float(np.sqrt((values**2).mean())) if values.size >= LEAST else float("nan")


def evaluate_refiner(folder: Path, name: str, count: int) -> None:
    """Detail, fidelity and tone over several upscalers, and how far strengths and seeds move.

    ``name`` is a refiner's, for all pictures of the folder, or `SUITED_REFINER`: then each kind of picture
    by the refiner that suits it, and all kinds together.
    """
    if name == SUITED_REFINER:
        groups = [
            (kind, SUITED[subject][1], squares(folder / kind, count))
            for kind, subject in SUBJECTS.items()
        ]
    else:
        groups = [("all", name, squares(folder, count))]
    print("Default settings; medians, in flats also the worst")
    print(
        "| pictures | source | strength | fine detail before | after | PSNR before | change | low PSNR "
        "| roughness along edges | specks "
        "| moved in textured places | in flats | worst | another seed, textured | flats |"
    )
    print("|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|")
    for factor, by in SOURCES:
        found: dict[float, list[np.ndarray]] = defaultdict(list)
        for kind, refiner, pictures in groups:
            moved = [measure(sharp, factor, by, refiner) for sharp in pictures]
            for place, strength in enumerate(STRENGTHS):
                rows = np.array([one[place] for one in moved])
                found[strength].append(rows)
                tell(f"{len(rows)} {kind}, {refiner}", f"{by} {factor}×", strength, rows)
        if len(groups) > 1:
            for strength, every in found.items():
                rows = np.concatenate(every)
                tell(f"all {len(rows)}", f"{by} {factor}×", strength, rows)


def measure(sharp: np.ndarray, factor: int, by: str, refiner: str) -> np.ndarray:
    """A picture's figures at each strength, in the order of the table."""
    source, size = reduce_picture(sharp, factor), size_of(sharp)
    places = Places.of(sharp, enlarge(source, size, by))
    before = psnr(places.source, places.truth)
    rows = []
    for strength in STRENGTHS:
        one, *others = (
            grey(refine(source, size, by, settings))
            for settings in (
                Refine(model=refiner, strength=strength, seed=seed, mode=Mode.JOINT)
                for seed in ((5, 6) if strength == SEEDS_AT else (5,))
            )
        )
        rows.append(
            (
                top_octave(places.source) / top_octave(places.truth),
                top_octave(one) / top_octave(places.truth),
                before,
                psnr(one, places.truth) - before,
                low_psnr(one, places.source),
                roughness(one, places.truth),
                specks(one, places.truth),
                *places.moved(one),
                *(places.moved(one, others[0]) if others else (np.nan, np.nan)),
            )
        )
    return np.array(rows)


def tell(pictures: str, source: str, strength: float, rows: np.ndarray) -> None:
    """A line of the table."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of columns that hold nothing
        found, worst = np.nanmedian(rows, axis=0), np.nanmax(rows[:, 8])
    seeds = (f"{found[9]:.1f}", f"{found[10]:.2f}") if strength == SEEDS_AT else ("", "")
    print(
        f"| {pictures} | {source} | {strength:g} | {found[0]:.2f} | {found[1]:.2f} | {found[2]:.2f} dB "
        f"| {found[3]:+.2f} dB | {found[4]:.1f} dB | {found[5]:.2f} | {found[6]:.2f} "
        f"| {found[7]:.1f} | {found[8]:.2f} "
        f"| {worst:.2f} | {seeds[0]} | {seeds[1]} |",
        flush=True,
    )


LEVELS = (
    (Sampler.HEUN, 60),
    (Sampler.DPMPP_2M, 8),
    (Sampler.EULER, 8),
    (Sampler.DPMPP_2M, 4),
    (Sampler.EULER, 4),
    (Sampler.EULER, 24),
    (Sampler.HEUN, 4),
    (Sampler.EULER_ANCESTRAL, 8),
)


def evaluate_levels(folder: Path, name: str, count: int) -> None:
    """How much of the detail of 60 steps each sampler reaches with fewer."""
    pictures = squares(folder, count, side=SMALL)
    print(f"{len(pictures)} pictures, {name}, strength 0.3; shares of the detail of 60 Heun steps")
    print("| sampler | steps | lanczos 2× | vitreous 4× |")
    print("|---|---|---|---|")
    known: dict[tuple[int, int], float] = {}
    for sampler, steps in LEVELS:
        shares = []
        for factor, by in (SOURCES[0], SOURCES[2]):
            settings = Refine(
                model=name, strength=0.3, steps=steps, sampler=sampler, seed=5, mode=Mode.JOINT
            )
            found = []
            for place, sharp in enumerate(pictures):
                large = grey(refine(reduce_picture(sharp, factor), size_of(sharp), by, settings))
                most = known.setdefault((factor, place), top_octave(large))
                found.append(top_octave(large) / most)
            shares.append(float(np.median(found)))
        print(
            f"| {sampler} | {steps} | " + " | ".join(f"{s:.0%}" for s in shares) + " |", flush=True
        )


def textures(split: str) -> dict[str, list[np.ndarray]]:
    """Squares of textures by the one word that their file names say."""
    found: dict[str, list[np.ndarray]] = defaultdict(list)
    for path in sorted((CACHE / "arrays" / split / "texture").glob("*.npy")):
        weights = words_of("texture", path.name)
        if np.count_nonzero(weights) == 1:
            pixels = np.load(path, mmap_mode="r")
            if min(pixels.shape[:2]) >= 256:
                found[MATERIALS[int(weights.argmax())].words[0]].append(crop_middle(pixels, 256))
    return found


def evaluate_words(name: str, count: int, strength: float, hold: float, guidance: float) -> None:
    """Whether a word moves the result towards its material's statistics, on textures of other materials."""
    learnt, shown = textures("train"), textures("test")
    means = {word: means_of(group) for word, group in learnt.items() if len(group) >= 8}
    spread = np.std(list(means.values()), axis=0)
    # the first of each material, the second of each …
    in_turn = chain.from_iterable(zip_longest(*shown.values()))
    subjects = [square for square in in_turn if square is not None][:count]
    settings = Refine(
        model=name,
        strength=strength,
        steps=8,
        seed=3,
        hold=hold,
        guidance=guidance,
        mode=Mode.JOINT,
    )

    def away(square: np.ndarray) -> np.ndarray:
        """Distances from each material without and with its word, (words, 2)."""
        source, size = reduce_picture(square, 2), size_of(square)
        plain, *with_words = (
            character(grey(refine(source, size, "lanczos", replace(settings, prompt=prompt))))
            for prompt in ("", *means)
        )
        return np.array([
            [np.linalg.norm((one - target) / spread) for one in (plain, with_word)]
            for target, with_word in zip(means.values(), with_words, strict=True)
        ])  # fmt: skip

    distances = np.array([away(square) for square in subjects])
    print(f"{len(subjects)} test textures, each refined without words and with each word")
    print("| word | nearer to its material than without | distance without | with | mean change |")
    print("|---|---|---|---|---|")
    for word, found in (*zip(means, distances.swapaxes(0, 1), strict=True), ("all", distances)):
        before, after = found[..., 0], found[..., 1]
        print(
            f"| {word} | {np.mean(after < before):.0%} | {np.median(before):.2f} "
            f"| {np.median(after):.2f} | {np.mean(after - before):+.2f} |"
        )


def means_of(group: Iterable[np.ndarray]) -> np.ndarray:
    return np.mean([character(grey(to_samples(square))) for square in group], axis=0)
