"""Draws the sheets of crops at 100 % for docs/research/models.md."""

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
from training.measures import enlarge, to_samples
from training.testpictures import (
    SUBJECTS,
    crop_middle,
    read_pixels,
    reduce_picture,
    refine,
    size_of,
    squares,
)

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
WORD_SETTINGS = Refine("grisaille", strength=1, hold=0, guidance=3, mode=Mode.JOINT)
ROUGH = 25
"""Least standard deviation, in 8-bit levels, of the squares that are shown."""
SIDE = 160
"""Side of the crops in px of the result."""
GAP, HEAD = 4, 20
SEEN = 24
"""Surroundings that are refined around a crop, in px of the base."""


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
        pixels = read_pixels(DEMO / file)
        truth = read_pixels((DEMO / file).with_suffix(".truth.jpg"))
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
        crops = enlarge_and_refine(Pixels(to_samples(pixels[part.slices])), 2, kind, shown)
        rows.append([*crops, np.asarray(image)])
    return rows


def test_rows(folder: Path) -> list[list[np.ndarray]]:
    rows = []
    for kind, count in TESTED.items():
        paths = sorted((folder / kind).glob("*.npy"))
        for path in paths[len(paths) // (2 * count) :: len(paths) // count][:count]:
            pixels = read_pixels(path)
            assert pixels is not None
            sharp, shown = crop_with_surroundings(pixels)
            rows.append(
                [*enlarge_and_refine(reduce_picture(sharp, 2), 2, kind, shown), sharp[shown.slices]]
            )
    return rows


def crop_with_surroundings(pixels: np.ndarray) -> tuple[np.ndarray, Box]:
    """The middle of a test picture with what is refined around it, and the box of it that is shown."""
    sharp = crop_middle(pixels, SIDE + 2 * SEEN * 2)
    inset = (sharp.shape[0] - SIDE) // 2
    return sharp, Box(inset, inset, SIDE, SIDE)


def word_rows(folder: Path) -> Iterator[list[np.ndarray]]:
    rough = (one for one in squares(folder / "texture", 24) if one.std() > ROUGH)
    for square in islice(rough, 4):
        sharp, shown = crop_with_surroundings(square)
        source, size = reduce_picture(sharp, 2), size_of(sharp)
        large = [enlarge(source, size, "lanczos")]
        large += [
            refine(source, size, "lanczos", replace(WORD_SETTINGS, prompt=word))
            for word in ("", *WORDS)
        ]
        yield [*(to_eight_bits(one[shown.slices]) for one in large), sharp[shown.slices]]


def enlarge_and_refine(source: Pixels, factor: int, kind: str, shown: Box) -> list[np.ndarray]:
    """Crops of a source enlarged by Lanczos, by its upscaler, and refined at each strength."""
    size = Size(source.size.width * factor, source.size.height * factor)
    by, refiner = SUITED[SUBJECTS[kind]]
    large = [enlarge(source, size, name) for name in ("lanczos", by)]
    large += [
        refine(source, size, by, Refine(refiner, strength=strength, mode=Mode.JOINT))
        for strength in STRENGTHS
    ]
    return [to_eight_bits(one[shown.slices]) for one in large]
