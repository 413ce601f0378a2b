"""Noise belongs to the picture: any window of it is the same wherever it is cut."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.diffusion.noise import gaussian
from enamel.core.geometry import Box

WHOLE = Box(0, 0, 200, 150)


@st.composite
def windows(draw: st.DrawFn) -> Box:
    x, y = draw(st.integers(0, 199)), draw(st.integers(0, 149))
    return Box(x, y, draw(st.integers(1, 200 - x)), draw(st.integers(1, 150 - y)))


@given(window=windows())
def test_a_window_has_the_noise_of_that_part_of_the_whole(window: Box) -> None:
    alone = gaussian(7, 3, window)
    np.testing.assert_array_equal(alone, gaussian(7, 3, WHOLE)[window.slices])


def test_values_are_standard_normal_and_uncorrelated() -> None:
    values = gaussian(1, 0, Box(1000, 2000, 512, 512))
    assert abs(values.mean()) < 0.005
    assert abs(values.std() - 1) < 0.005
    assert abs((values[:, 1:] * values[:, :-1]).mean()) < 0.01
    assert abs((values[..., 0] * values[..., 1]).mean()) < 0.01
    kurtosis = (values**4).mean() / values.var() ** 2
    assert abs(kurtosis - 3) < 0.05


@pytest.mark.parametrize(("seed", "stream"), [(8, 3), (7, 4)])
def test_other_seeds_and_streams_are_independent(seed: int, stream: int) -> None:
    one, other = gaussian(7, 3, WHOLE), gaussian(seed, stream, WHOLE)
    assert abs((one * other).mean()) < 0.02


def test_there_is_no_noise_left_of_the_picture() -> None:
    with pytest.raises(ValueError, match="left of or above"):
        gaussian(7, 0, Box(-8, 0, 16, 16))
