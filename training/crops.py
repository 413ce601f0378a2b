"""The sheet of crops for docs/research/models.md: what an artist sees, at 100 %."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import islice
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.ImageDraw

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels, to_eight_bits
from enamel.core.intake.subject import SUITED
from enamel.core.schedule import Mode, Refine
from training.measures import enlarged, samples
from training.trying import SUBJECTS, middle, opened, refined, size_of, small_of, squares

DEMO = Path(__file__).parent.parent / "demo" / "pictures"
DEMO_CROPS = (
    ("stationmaster.png", (330, 380, 80, 80)),
    ("night-mail.png", (500, 250, 80, 80)),
    ("platform.png", (430, 380, 80, 80)),
    ("emblem.png", (270, 540, 80, 80)),
    ("tea-car.jpg", (300, 430, 80, 80)),
    ("signal-lamp.jpg", (150, 190, 80, 80)),
)
"""Demo pictures and the window shown, in px of the base; enlarged twice."""
TESTED = {"photo": 3, "painting": 3, "drawing": 2}
"""Test pictures shown, of each kind."""
STRENGTHS = (0.15, 0.3, 0.5, 0.7)
WORDS = ("wood", "grass", "brick", "stone", "cloth")
LED_BY_WORDS = Refine("grisaille", strength=1, hold=0, guidance=3, mode=Mode.JOINT)
ROUGH = 25
"""Deviation in 8-bit levels from which a square has something to show."""
SIDE = 160
"""Side of the crops in px of the result."""
GAP, HEAD = 4, 20
SEEN = 24
"""What is refined around a crop, in px of the base."""


def draw_crops(path: Path, folder: Path) -> None:
    """Crops by Lanczos, by the upscaler that suits, refined on top at four strengths, and the truth."""
    names = ["Lanczos", "upscaler", *(f"refined {strength:g}" for strength in STRENGTHS), "truth"]
    draw(path, names, [*demo_rows(), *test_rows(folder)])


def draw_words(path: Path, folder: Path) -> None:
    """Crops of test textures by Lanczos, refined without and with words, and the truth."""
    draw(path, ["Lanczos", "no word", *WORDS, "truth"], list(word_rows(folder)))


def draw(path: Path, names: list[str], rows: list[list[np.ndarray]]) -> None:
    """A sheet of crops with names above its columns."""
    sheet = PIL.Image.new(
        "RGB", (len(names) * (SIDE + GAP), len(rows) * (SIDE + GAP) + HEAD), "white"
    )
    pen = PIL.ImageDraw.Draw(sheet)
    for column, name in enumerate(names):
        pen.text((column * (SIDE + GAP) + 2, 4), name, "black")
    for row, crops in enumerate(rows):
        for column, crop in enumerate(crops):
            place = column * (SIDE + GAP), HEAD + row * (SIDE + GAP)
            sheet.paste(PIL.Image.fromarray(crop), place)
    sheet.save(path, optimize=True, quality=92)


def demo_rows() -> list[list[np.ndarray]]:
    rows = []
    for file, window in DEMO_CROPS:
        pixels = opened(DEMO / file)
        truth = opened((DEMO / file).with_suffix(".truth.jpg"))
        assert pixels is not None
        assert truth is not None
        box = Box(*window)
        part = box.grown(SEEN).intersection(Box(0, 0, pixels.shape[1], pixels.shape[0]))
        inner = box.relative_to(part)
        shown = Box(inner.x * 2, inner.y * 2, SIDE, SIDE)
        scale = truth.shape[1] / pixels.shape[1]
        image = PIL.Image.fromarray(truth).resize(
            (SIDE, SIDE),
            PIL.Image.Resampling.LANCZOS,
            box=tuple(side * scale for side in (box.x, box.y, box.right, box.bottom)),
        )
        kind = "drawing" if file.startswith("emblem") else "photo"
        crops = made(Pixels(samples(pixels[part.slices])), 2, kind, shown)
        rows.append([*crops, np.asarray(image)])
    return rows


def test_rows(folder: Path) -> list[list[np.ndarray]]:
    rows = []
    for kind, count in TESTED.items():
        paths = sorted((folder / kind).glob("*.npy"))
        for path in paths[len(paths) // (2 * count) :: len(paths) // count][:count]:
            pixels = opened(path)
            assert pixels is not None
            sharp, shown = framed(pixels)
            rows.append([*made(small_of(sharp, 2), 2, kind, shown), sharp[shown.slices]])
    return rows


def framed(pixels: np.ndarray) -> tuple[np.ndarray, Box]:
    """The middle of a test picture with what is refined around it, and the box of it that is shown."""
    sharp = middle(pixels, SIDE + 2 * SEEN * 2)
    inset = (sharp.shape[0] - SIDE) // 2
    return sharp, Box(inset, inset, SIDE, SIDE)


def word_rows(folder: Path) -> Iterator[list[np.ndarray]]:
    rough = (one for one in squares(folder / "texture", 24) if one.std() > ROUGH)
    for square in islice(rough, 4):
        sharp, shown = framed(square)
        source, size = small_of(sharp, 2), size_of(sharp)
        large = [enlarged(source, size, "lanczos")]
        large += [
            refined(source, size, "lanczos", replace(LED_BY_WORDS, prompt=word))
            for word in ("", *WORDS)
        ]
        yield [*(to_eight_bits(one[shown.slices]) for one in large), sharp[shown.slices]]


def made(source: Pixels, factor: int, kind: str, shown: Box) -> list[np.ndarray]:
    """A source enlarged plainly, by its upscaler, and refined; each cut to the box shown."""
    size = Size(source.size.width * factor, source.size.height * factor)
    by, refiner = SUITED[SUBJECTS[kind]]
    large = [enlarged(source, size, name) for name in ("lanczos", by)]
    large += [
        refined(source, size, by, Refine(refiner, strength=strength, mode=Mode.JOINT))
        for strength in STRENGTHS
    ]
    return [to_eight_bits(one[shown.slices]) for one in large]
