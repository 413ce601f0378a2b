"""Copies are told from other pictures; contact sheets from pictures."""

import io
from collections.abc import Callable

import numpy as np
import PIL.Image
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from enamel.core.imaging.canvas import Pixels
from enamel.core.intake.cuts import find_cuts
from enamel.core.intake.likeness import NEAR_BITS, distance, likeness, perceptual_hash
from tests.pictures import DEMO

NAMES = ["emblem.png", "night-mail.png", "platform.png", "stationmaster.png", "tea-car.jpg"]


def opened(name: str) -> PIL.Image.Image:
    with PIL.Image.open(DEMO / name) as image:
        return image.convert("RGB")


def pixels(image: PIL.Image.Image) -> Pixels:
    return Pixels(np.asarray(image).astype(np.uint16) * 257)


def compressed(image: PIL.Image.Image, quality: int) -> PIL.Image.Image:
    buffer = io.BytesIO()
    image.save(buffer, "JPEG", quality=quality)
    return PIL.Image.open(buffer).convert("RGB")


def halved(image: PIL.Image.Image) -> PIL.Image.Image:
    return image.resize((image.width // 2, image.height // 2), PIL.Image.Resampling.BICUBIC)


RUIN: dict[str, Callable[[PIL.Image.Image], PIL.Image.Image]] = {
    "half": halved,
    "a third, by nearest": lambda image: image.resize((image.width // 3, image.height // 3), 0),
    "compressed": lambda image: compressed(image, 40),
    "half and compressed": lambda image: compressed(halved(image), 60),
}


@pytest.mark.parametrize("how", RUIN)
@pytest.mark.parametrize("name", NAMES)
def test_smaller_and_compressed_copies_are_recognised(name: str, how: str) -> None:
    original = opened(name)
    copy = RUIN[how](original)
    one, other = pixels(copy), pixels(original)
    assert distance(perceptual_hash(one), perceptual_hash(other)) <= NEAR_BITS
    found = likeness(one, other)
    assert found.copies
    assert found.smaller == (copy.width < original.width)
    assert not likeness(other, one).smaller


def test_different_pictures_are_no_copies() -> None:
    pictures = [pixels(opened(name)) for name in NAMES]
    hashes = [perceptual_hash(picture) for picture in pictures]
    for first in range(len(NAMES)):
        for second in range(first):
            assert distance(hashes[first], hashes[second]) > NEAR_BITS
            assert not likeness(pictures[first], pictures[second]).copies


def test_a_retouched_picture_is_no_copy() -> None:
    original = opened("stationmaster.png")
    changed = original.copy()
    face = original.crop((300, 300, 420, 440)).transpose(PIL.Image.Transpose.FLIP_TOP_BOTTOM)
    changed.paste(face, (300, 300))
    assert not likeness(pixels(changed), pixels(original)).copies


def sheet(
    columns: int, rows: int, gutter: int, border: int, colour: str = "white"
) -> PIL.Image.Image:
    cells = [opened(name).resize((240, 200)) for name in NAMES]
    width = columns * 240 + (columns - 1) * gutter + 2 * border
    height = rows * 200 + (rows - 1) * gutter + 2 * border
    made = PIL.Image.new("RGB", (width, height), colour)
    for number in range(columns * rows):
        x, y = number % columns, number // columns
        cell = cells[(number * 3 + y) % len(cells)]
        made.paste(cell, (border + x * (240 + gutter), border + y * (200 + gutter)))
    return made


@settings(deadline=None, max_examples=40)
@given(
    columns=st.integers(1, 4),
    rows=st.integers(1, 4),
    gutter=st.sampled_from([0, 2, 8, 20]),
    border=st.sampled_from([0, 12]),
    colour=st.sampled_from(["white", "black", "#777777"]),
)
def test_a_sheets_candidates_are_found(
    columns: int, rows: int, gutter: int, border: int, colour: str
) -> None:
    # a single strip without gutters is only found where its joins are strong
    assume(gutter >= 2 or min(columns, rows) > 1 or columns * rows == 1)
    if columns * rows == 1:
        border = 0
    cuts = find_cuts(pixels(sheet(columns, rows, gutter, border, colour)))
    assert (len(cuts.columns), len(cuts.rows)) == (columns, rows)
    for number, (start, end) in enumerate(cuts.columns):
        wanted = border * (columns > 1) + number * (240 + gutter)
        assert abs(start - wanted) <= 3
        assert abs(end - start - (240 + 2 * border * (columns == 1))) <= 5


@pytest.mark.parametrize("width", [256, 384, 512, 768, 1024])
@pytest.mark.parametrize("name", [*NAMES, "signal-lamp.jpg"])
def test_a_single_picture_is_not_cut(name: str, width: int) -> None:
    image = opened(name)
    resized = image.resize((width, round(width * image.height / image.width)))
    assert find_cuts(pixels(resized)).count == 1
