"""Settings as artists write them: what is written is read back, and what can't be read is told."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal
from enamel.core.intake.cuts import Cuts
from enamel.core.schedule import Refine, Region
from enamel.core.written import (
    read_cuts,
    read_lengths,
    read_overlap,
    read_regions,
    written_overlap,
    written_regions,
)

SHARES = st.integers(0, 50).map(lambda percent: percent / 100)
WORDS = st.text("abcdefghij ,:()", min_size=1, max_size=30).map(str.strip).filter(bool)


@given(
    st.lists(
        st.builds(
            lambda left, top, width, height, words: Region(
                (left, top, 0.01 + width * 0.98, 0.01 + height * 0.98), words
            ),
            SHARES, SHARES, SHARES, SHARES, WORDS,
        ),
        max_size=4,
    )
)  # fmt: skip
def test_words_for_parts_are_read_back(regions: list[Region]) -> None:
    again = read_regions(written_regions(regions))
    assert [region.prompt for region in again] == [region.prompt for region in regions]
    for one, other in zip(again, regions, strict=True):
        assert one.box == pytest.approx(other.box, abs=1e-6)


@given(st.integers(0, 256))
def test_overlaps_are_read_back(overlap: int) -> None:
    in_px = Refine(overlap=overlap)
    assert read_overlap(written_overlap(in_px)) == {"overlap": overlap}
    fraction = overlap / 512
    read = read_overlap(written_overlap(Refine(overlap_fraction=fraction)))
    assert read["overlap_fraction"] == pytest.approx(fraction, rel=1e-5)


@pytest.mark.parametrize("text", ["", "x", "-4", "1.2.3 px", "64 mm", "9" * 400, "1e999"])
def test_what_is_no_overlap_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(FieldRefusal, match="as in 64"):
        read_overlap(text)


@pytest.mark.parametrize(
    ("text", "problem"),
    [
        ("10% 10% 50% 50% moss", "Line 1 is not"),
        ("\n1.2.3 10 50 50: moss", "Line 2 is not"),
        ("60% 10% 50% 50%: moss", "Line 1 leaves the picture"),
    ],
)
def test_words_for_no_part_are_refused_with_their_line(text: str, problem: str) -> None:
    with pytest.raises(FieldRefusal, match=problem):
        read_regions(text)


def test_cuts_are_read_with_any_sign_between() -> None:
    assert read_cuts("0–512 528–1040", "0, 300") == Cuts(((0, 512), (528, 1040)), ((0, 300),))
    with pytest.raises(FieldRefusal, match="each of the rows"):
        read_cuts("0 10", "5")


@given(st.text(max_size=40))
def test_any_text_is_lengths_or_none(text: str) -> None:
    assert all(0 <= length < 10**6 for length in read_lengths(text))
