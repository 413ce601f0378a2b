"""Print geometry, against sizes every print shop knows."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Size
from enamel.core.sizing import PrintTarget, fitted, mm_of, px_of


@pytest.mark.parametrize(
    ("target", "pixels"),
    [
        (PrintTarget(304.8, 304.8), (3600, 3600)),
        (PrintTarget(210, 297), (2480, 3508)),
        (PrintTarget(210, 297, bleed_mm=3), (2551, 3579)),
        (PrintTarget(101.6, 152.4, ppi=600), (2400, 3600)),
    ],
)
def test_paper_in_pixels(target: PrintTarget, pixels: tuple[int, int]) -> None:
    assert target.pixels == pixels


def test_a_square_of_1664_px_prints_at_about_five_and_a_half_inches() -> None:
    assert mm_of(1664, 300) / 25.4 == pytest.approx(5.55, abs=0.01)


@given(length=st.floats(5, 2000), ppi=st.floats(72, 600))
def test_there_and_back_is_within_half_a_pixel(length: float, ppi: float) -> None:
    assert abs(mm_of(px_of(length, ppi), ppi) - length) <= 25.4 / ppi / 2 + 1e-9


@given(width=st.integers(16, 3000), height=st.integers(16, 3000), wanted=st.integers(16, 9000))
def test_fitted_keeps_the_shape_and_hits_the_side_asked_for(
    width: int, height: int, wanted: int
) -> None:
    size = fitted(Size(width, height), width=wanted)
    assert size.width == wanted
    assert abs(size.height - wanted * height / width) <= 0.5 or size.height == 1


def test_with_both_sides_given_it_lies_within_them() -> None:
    assert fitted(Size(400, 300), 1000, 600) == Size(800, 600)


@pytest.mark.parametrize("wrong", [{"width_mm": 0.0}, {"ppi": 5.0}, {"bleed_mm": -1.0}])
def test_impossible_prints_are_refused_by_name(wrong: dict[str, float]) -> None:
    with pytest.raises(FieldRefusal) as refused:
        PrintTarget(**({"width_mm": 100.0, "height_mm": 100.0} | wrong))
    assert refused.value.field in wrong
