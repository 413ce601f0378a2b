"""Plain interpolation, and blurring: exact windows, and the results of a trusted library."""

import numpy as np
import PIL.Image
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Mirrored, Pixels
from enamel.core.imaging.soften import Softened
from enamel.core.upscaling import Enlarged, upscaler, upscaler_names
from tests.pictures import assert_same_pixels, portrait, whole


@settings(max_examples=40)
@given(
    name=st.sampled_from(["nearest", "bicubic", "lanczos"]),
    width=st.integers(20, 300),
    height=st.integers(20, 300),
    x=st.floats(0, 0.9),
    y=st.floats(0, 0.9),
)
def test_a_window_is_the_same_as_that_part_of_the_whole(
    name: str, width: int, height: int, x: float, y: float
) -> None:
    enlarged = Enlarged(portrait(), Size(width, height), upscaler(name))
    window = Box(int(x * width), int(y * height), max(1, width // 10), max(1, height // 10))
    assert_same_pixels(enlarged.read(window), whole(enlarged)[window.slices])


@pytest.mark.parametrize(
    ("name", "theirs"),
    [
        ("nearest", PIL.Image.Resampling.NEAREST),
        ("bicubic", PIL.Image.Resampling.BICUBIC),
        ("lanczos", PIL.Image.Resampling.LANCZOS),
    ],
)
@pytest.mark.parametrize("size", [Size(224, 176), Size(256, 160), Size(64, 48)])
def test_agrees_with_pillow(name: str, theirs: PIL.Image.Resampling, size: Size) -> None:
    source = portrait()
    eight = PIL.Image.fromarray((whole(source) // 257).astype(np.uint8))
    expected = np.asarray(eight.resize(size, theirs)).astype(float)
    found = whole(Enlarged(source, size, upscaler(name))) / 257
    difference = np.abs(found - expected)
    assert difference.max() < 1.5  # Pillow rounds to whole values twice, once along each side
    assert difference.mean() < 0.4


def test_the_same_size_is_the_same_picture() -> None:
    same = Enlarged(portrait(), portrait().size, upscaler("lanczos"))
    assert_same_pixels(whole(same), whole(portrait()))
    window = Box(20, 30, 17, 9)
    assert_same_pixels(same.read(window), whole(portrait())[window.slices])


def test_alpha_goes_along() -> None:
    opaque = whole(portrait())
    alpha = np.zeros((*opaque.shape[:2], 1), np.uint16)
    alpha[:, 56:] = 65535
    enlarged = Enlarged(
        Pixels(np.concatenate([opaque, alpha], 2)), Size(224, 176), upscaler("bicubic")
    )
    samples = whole(enlarged)
    assert samples.shape == (176, 224, 4)
    assert (samples[:, :100, 3] == 0).all()
    assert (samples[:, 124:, 3] == 65535).all()


def test_an_unknown_upscaler_is_refused_with_the_names_there_are() -> None:
    with pytest.raises(Refusal, match="lanczos"):
        upscaler("sharpest")
    assert upscaler_names()[:3] == ["nearest", "bicubic", "lanczos"]


@given(x=st.integers(0, 90), y=st.integers(0, 70), sigma=st.floats(0.3, 4))
def test_a_blurred_window_is_the_same_as_that_part_of_the_whole(
    x: int, y: int, sigma: float
) -> None:
    softened = Softened(portrait(), sigma)
    window = Box(x, y, 20, 17)
    assert_same_pixels(softened.read(window), whole(softened)[window.slices])


def test_padding_mirrors_the_edge() -> None:
    source = portrait()
    padded = whole(Mirrored(source, Size(120, 96)))
    assert_same_pixels(padded[:88, :112], whole(source))
    assert_same_pixels(padded[:88, 112:], whole(source)[:, :-9:-1])
