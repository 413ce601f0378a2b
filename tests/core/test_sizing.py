"""Print geometry, against sizes every print shop knows."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal
from enamel.core.geometry import Size
from enamel.core.printing.papers import PAPERS, paper_of
from enamel.core.printing.sizing import (
    HAND_MM,
    Bleed,
    PrintTarget,
    Quality,
    Unit,
    fitted,
    largest_print,
    length_mm,
    mm_of,
    needed_ppi,
    px_of,
    quality_of,
)


@pytest.mark.parametrize(
    ("target", "pixels"),
    [
        (PrintTarget(304.8, 304.8), (3600, 3600)),
        (PrintTarget(210, 297), (2480, 3508)),
        (PrintTarget(210, 297, bleed=Bleed(3, 3, 3, 3)), (2551, 3579)),
        (PrintTarget(210, 297, bleed=Bleed(0, 10, 0, 0)), (2598, 3508)),
        (PrintTarget(101.6, 152.4, ppi=600), (2400, 3600)),
    ],
)
def test_paper_in_pixels(target: PrintTarget, pixels: tuple[int, int]) -> None:
    assert target.pixels == pixels


def test_a_square_of_1664_px_prints_at_about_five_and_a_half_inches() -> None:
    assert largest_print(Size(1664, 1664), 300)[0] / 25.4 == pytest.approx(5.55, abs=0.01)


@given(length=st.floats(5, 2000), ppi=st.floats(72, 600))
def test_there_and_back_is_within_half_a_pixel(length: float, ppi: float) -> None:
    assert abs(mm_of(px_of(length, ppi), ppi) - length) <= 25.4 / ppi / 2 + 1e-9


@given(width=st.floats(20, 900), height=st.floats(20, 900), ppi=st.floats(72, 600))
def test_the_rounding_that_is_shown_is_what_whole_pixels_cost(
    width: float, height: float, ppi: float
) -> None:
    target = PrintTarget(width, height, ppi)
    across, down = target.rounding()
    assert mm_of(target.pixels.width, ppi) == pytest.approx(width + across)
    assert mm_of(target.pixels.height, ppi) == pytest.approx(height + down)
    assert max(abs(across), abs(down)) <= 25.4 / ppi / 2 + 1e-9


@given(width=st.integers(16, 3000), height=st.integers(16, 3000), wanted=st.integers(16, 9000))
def test_fitted_keeps_the_shape_and_hits_the_side_asked_for(
    width: int, height: int, wanted: int
) -> None:
    size = fitted(Size(width, height), width=wanted)
    assert size.width == wanted
    assert abs(size.height - wanted * height / width) <= 0.5 or size.height == 1


def test_with_both_sides_given_it_is_within_them() -> None:
    assert fitted(Size(400, 300), 1000, 600) == Size(800, 600)


@pytest.mark.parametrize("wrong", [{"width_mm": 0.0}, {"ppi": 5.0}, {"height_mm": 30_000.0}])
def test_impossible_prints_are_refused_by_name(wrong: dict[str, float]) -> None:
    with pytest.raises(FieldRefusal) as refused:
        PrintTarget(**({"width_mm": 100.0, "height_mm": 100.0} | wrong))
    assert refused.value.field in wrong


@pytest.mark.parametrize(
    ("text", "unit", "mm"),
    [
        ("30 cm", Unit.MM, 300), ("11.8in", Unit.MM, 299.72), ("300", Unit.MM, 300),
        ("12", Unit.IN, 304.8), ('8.5"', Unit.MM, 215.9), ("21,5 cm.", Unit.IN, 215),
        (".5 in", Unit.MM, 12.7), (" 85 mm ", Unit.CM, 85), ("3 Inches", Unit.MM, 76.2),
    ],
)  # fmt: skip
def test_lengths_are_read_as_people_write_them(text: str, unit: Unit, mm: float) -> None:
    assert length_mm(text, unit) == pytest.approx(mm)


@pytest.mark.parametrize("text", ["", "wide", "3 m 20", "-4 cm", "3 furlongs", "1.2.3"])
def test_what_is_no_length_is_refused(text: str) -> None:
    with pytest.raises(FieldRefusal, match="no length"):
        length_mm(text)


@pytest.mark.parametrize(
    ("text", "sides"),
    [
        ("", (0, 0, 0, 0)), ("3", (3, 3, 3, 3)), ("3 mm", (3, 3, 3, 3)), ("3 5", (3, 5, 3, 5)),
        ("3 mm; 0.5 cm", (3, 5, 3, 5)), ("1 2 3 4", (1, 2, 3, 4)), ("3 mm 5 mm", (3, 5, 3, 5)),
    ],
)  # fmt: skip
def test_bleed_is_one_length_or_two_or_four(text: str, sides: tuple[float, ...]) -> None:
    bleed = Bleed.read(text)
    assert (bleed.top, bleed.right, bleed.bottom, bleed.left) == pytest.approx(sides)
    assert Bleed.read(bleed.written(Unit.MM)) == bleed


def test_three_bleeds_are_refused() -> None:
    with pytest.raises(FieldRefusal, match="two, or four"):
        Bleed.read("1 2 3")


@given(length=st.floats(1, 2000), unit=st.sampled_from(Unit))
def test_a_length_that_is_shown_reads_as_itself(length: float, unit: Unit) -> None:
    shown = f"{unit.shown(length)} {unit}"
    assert length_mm(shown) == pytest.approx(length, abs=0.13)


def test_in_the_hand_an_eye_resolves_about_300_ppi() -> None:
    assert needed_ppi(Quality.BEST, HAND_MM) == pytest.approx(291, abs=0.5)


@given(distance=st.floats(100, 10_000))
def test_from_farther_away_fewer_pixels_do(distance: float) -> None:
    best, good, acceptable = (needed_ppi(quality, distance) for quality in Quality)
    assert best > good > acceptable > 0
    assert needed_ppi(Quality.BEST, 2 * distance) == pytest.approx(best / 2)
    assert quality_of(best, distance) is Quality.BEST
    assert quality_of(0.99 * acceptable, distance) is None


def test_papers_keep_their_names_whichever_way_they_lie() -> None:
    assert paper_of(297, 210) == paper_of(210, 297)
    found = paper_of(420, 297)
    assert found is not None
    assert found.name == "A3"
    assert paper_of(123, 321) is None
    sizes = {paper.name: (paper.width_mm, paper.height_mm) for paper in PAPERS}
    assert sizes["A6"] == (105, 148)
    assert sizes["B5"] == (176, 250)
    assert len(sizes) == len(PAPERS)
