"""What kind of picture a base is: told on the demo bases."""

import numpy as np
import pytest

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Pixels
from enamel.core.intake.subject import Subject, blockiness, guessed
from tests.pictures import DEMO, part, portrait


@pytest.mark.parametrize(
    ("name", "size", "kind"),
    [
        ("emblem.png", (640, 640), Subject.DRAWING),
        ("signal-lamp.jpg", (384, 512), Subject.COMPRESSED),
        ("stationmaster.png", (768, 1024), Subject.PHOTO),
        ("platform.png", (1024, 768), Subject.PHOTO),
        ("night-mail.png", (960, 540), Subject.PHOTO),
    ],
)
def test_the_demo_bases_are_classified(name: str, size: tuple[int, int], kind: Subject) -> None:
    assert guessed(part(DEMO / name, Box(0, 0, *size))) is kind


def test_blocks_are_felt_only_where_they_are() -> None:
    rng = np.random.default_rng(1)
    smooth = rng.normal(0.5, 0.004, (64, 64)).astype(np.float32)
    blocks = np.kron(rng.normal(0, 0.012, (8, 8)), np.ones((8, 8))).astype(np.float32)
    assert blockiness(smooth) == pytest.approx(1, abs=0.1)
    assert blockiness(smooth + blocks) > 1.8
    assert blockiness(np.roll(smooth + blocks, 4, axis=(0, 1))) < 1.1


def test_tiny_and_flat_pictures_are_no_trouble() -> None:
    assert guessed(Pixels(np.full((1, 1, 3), 500, np.uint16))) is Subject.PHOTO
    assert guessed(Pixels(np.full((40, 30, 3), 500, np.uint16))) is Subject.DRAWING


@pytest.mark.parametrize(
    ("prompt", "kind"),
    [
        ("portrait of a stationmaster in oils", Subject.PAINTED),
        ("a viaduct, watercolour", Subject.PAINTED),
        ("locomotive emblem, flat colours, lettering", Subject.DRAWING),
        ("old signal lamp, brick, oily rag", Subject.PHOTO),
        ("", Subject.PHOTO),
    ],
)
def test_words_tell_paintings_from_photographs(prompt: str, kind: Subject) -> None:
    assert guessed(portrait(), prompt) is kind


def test_pixels_count_before_words() -> None:
    flat = Pixels(np.full((64, 64, 3), 40_000, np.uint16))
    assert guessed(flat, "a painting in oils") is Subject.DRAWING
