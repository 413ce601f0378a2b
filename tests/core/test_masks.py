"""Masks: a window has the whole's values, steps do what they say, files are told why they can't be used."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray, Pixels
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.coverage import Intersection, PictureMask, bounds_of, require_covered
from enamel.core.masks.steps import (
    Ellipse,
    Feather,
    Fill,
    Grow,
    Invert,
    Outline,
    Rectangle,
    Step,
    Stroke,
    box_mask,
)

ON = Size(120, 90)
places = st.tuples(st.floats(-20, 140), st.floats(-20, 110))
erases = st.booleans()
strokes = st.builds(
    lambda points, radius, hardness, erase: Stroke(
        tuple(v for (x, y), p in points for v in (x, y, p)), radius, hardness, erase
    ),
    st.lists(st.tuples(places, st.floats(0.1, 1)), min_size=1, max_size=5),
    st.floats(0.5, 30), st.floats(0, 1), erases,
)  # fmt: skip
outlines = st.builds(
    lambda points, erase: Outline(tuple(v for place in points for v in place), erase),
    st.lists(places, min_size=3, max_size=7), erases,
)  # fmt: skip
ellipses = st.builds(
    lambda place, across, down, turn, erase: Ellipse(*place, across, down, turn, erase),
    places, st.floats(1, 50), st.floats(1, 50), st.floats(-180, 180), erases,
)  # fmt: skip
rectangles = st.builds(
    lambda place, width, height, erase: Rectangle(*place, width, height, erase),
    places, st.floats(1, 90), st.floats(1, 90), erases,
)  # fmt: skip
steps = st.one_of(
    strokes, outlines, ellipses, rectangles, st.just(Fill()), st.just(Invert()),
    st.builds(Grow, st.floats(-10, 10)), st.builds(Feather, st.floats(0, 20)),
)  # fmt: skip
masks = st.builds(
    lambda found: Mask(tuple(ON), tuple(found)), st.lists(steps, min_size=1, max_size=6)
)
boxes = st.builds(
    lambda x, y, width, height: Box(x, y, width, height),
    st.integers(0, 80), st.integers(0, 60), st.integers(1, 40), st.integers(1, 30),
)  # fmt: skip


def covered(*given: Step, size: Size = ON) -> FloatArray:
    return RenderedMask(Mask(tuple(ON), given), size).read(Box.whole(size))


@given(mask=masks, window=boxes)
def test_a_window_has_the_very_values_of_the_whole(mask: Mask, window: Box) -> None:
    drawn = RenderedMask(mask, ON)
    np.testing.assert_array_equal(drawn.read(window), drawn.read(Box.whole(ON))[window.slices])


@given(mask=masks)
def test_nothing_is_covered_outside_the_bounds(mask: Mask) -> None:
    drawn = RenderedMask(mask, ON)
    whole = drawn.read(Box.whole(ON))
    assert whole.min() >= 0
    assert whole.max() <= 1
    whole[drawn.bounds.slices] = 0
    assert not whole.any()


@given(mask=masks)
def test_masks_are_read_back_as_they_were_written(mask: Mask) -> None:
    assert Mask.from_json(to_json(mask)) == mask


@given(mask=masks)
def test_inverting_covers_the_rest(mask: Mask) -> None:
    other = RenderedMask(mask.then(Invert()), ON).read(Box.whole(ON))
    np.testing.assert_allclose(1 - other, RenderedMask(mask, ON).read(Box.whole(ON)), atol=1e-6)


def test_areas_are_as_large_as_they_say() -> None:
    circle = covered(Ellipse(60, 45, 30, 30))
    assert circle.sum() == pytest.approx(np.pi * 30**2, rel=0.01)
    turned = covered(Ellipse(60, 45, 40, 15, 30))
    assert turned.sum() == pytest.approx(np.pi * 40 * 15, rel=0.02)
    assert turned[45 + 15, 60 + 26] > 0.9  # clockwise: the right end lies lower
    assert turned[45 - 15, 60 + 26] < 0.1
    triangle = covered(Outline((10, 10, 110, 10, 10, 80)))
    assert triangle.sum() == pytest.approx(100 * 70 / 2, rel=0.01)
    assert covered(Rectangle(20, 30, 50, 40)).sum() == pytest.approx(2000, rel=0.02)


def test_a_line_that_crosses_itself_leaves_every_second_area_out() -> None:
    twice = covered(
        Outline((20, 20, 80, 20, 80, 70, 20, 70, 20, 20, 40, 35, 60, 35, 60, 55, 40, 55, 40, 35))
    )
    assert twice[45, 30] == 1
    assert twice[45, 50] == 0


def test_a_soft_brush_falls_off_and_pressure_narrows_it() -> None:
    soft = covered(Stroke((20, 45, 1, 100, 45, 1), 20, 0.5))
    assert soft[45, 60] == 1
    assert soft[45 - 9, 60] == 1  # half the radius is whole
    assert 0 < soft[45 - 15, 60] < 1
    assert soft[45 - 21, 60] == 0
    assert np.all(np.diff(soft[24:45, 60]) >= 0)
    lighter = covered(Stroke((20, 45, 0.5, 100, 45, 0.5), 20, 0.5))
    assert lighter[45 - 11, 60] == 0


def test_the_eraser_takes_away_and_growing_narrows_what_it_took() -> None:
    square, hole = Rectangle(20, 20, 60, 50), Ellipse(50, 45, 10, 10, erase=True)
    held = covered(square, hole)
    assert held[45, 50] == 0
    assert held[45, 25] == 1
    grown = covered(square, hole, Grow(5))
    assert grown[45, 17] == 1
    assert (grown[30:60, 35:65] < 0.5).sum() < (held[30:60, 35:65] < 0.5).sum() / 2


def test_feathering_softens_both_ways_and_keeps_the_edge_where_it_was() -> None:
    soft = covered(Rectangle(30, 20, 60, 50), Feather(20))[45]
    assert soft[19] == 0
    assert soft[41] == 1
    assert soft[29] + soft[30] == pytest.approx(1, abs=0.05)


@given(box=boxes, feather=st.floats(0, 30))
def test_a_box_is_soft_inside_and_not_along_the_pictures_edge(box: Box, feather: float) -> None:
    drawn = RenderedMask(box_mask(box, ON, feather), ON)
    whole = drawn.read(Box.whole(ON))
    inside = whole[box.slices].copy()
    whole[box.slices] = 0
    assert whole.max(initial=0) < 0.6  # the hardest edge is a pixel wide
    if box.x == 0 and box.height > 2 * feather + 4 and box.y + box.height < ON.height:
        assert inside[box.height // 2, 0] == 1


@pytest.mark.parametrize("factor", [2, 3.5])
def test_a_mask_means_the_same_on_a_larger_layer(factor: float) -> None:
    drawn = (Stroke((20, 20, 1, 90, 60, 0.6), 12, 0.6), Ellipse(80, 30, 20, 9, 20), Feather(6))
    small, large = covered(*drawn), covered(*drawn, size=ON.scaled(factor))
    assert large.sum() == pytest.approx(small.sum() * factor**2, rel=0.01)
    middle = large[int(20.5 * factor), int(20.5 * factor)]
    assert middle == pytest.approx(small[20, 20], abs=0.02)


def test_bounds_of_what_is_covered_are_tight() -> None:
    mask = RenderedMask(
        Mask(tuple(ON), (Rectangle(20, 30, 50, 20), Rectangle(0, 0, 45, 90, erase=True))), ON
    )
    assert bounds_of(mask, Box.whole(ON)) == Box(45, 30, 25, 20)
    both = Intersection(mask, RenderedMask(Mask(tuple(ON), (Rectangle(60, 0, 60, 40),)), ON))
    assert bounds_of(both, Box.whole(ON)) == Box(60, 30, 10, 10)


def test_a_mask_that_covers_nothing_is_refused_with_what_to_do() -> None:
    erased = Mask(tuple(ON), (Rectangle(20, 30, 50, 20), Rectangle(0, 0, 120, 90, erase=True)))
    for mask in (Mask(tuple(ON)), erased, Mask(tuple(ON), (Ellipse(500, 500, 9, 9),))):
        with pytest.raises(Refusal, match=r"covers nothing of this picture\. Paint over"):
            require_covered(RenderedMask(mask, ON))


def test_a_mask_file_covers_where_it_is_white_and_not_transparent() -> None:
    samples = np.zeros((90, 120, 4), np.uint16)
    samples[20:40, 30:60, :3] = 65535
    samples[20:40, 30:45, 3] = 65535
    mask = PictureMask(Pixels(samples), ON)
    assert mask.bounds == Box(30, 20, 15, 20)
    assert mask.read(Box(29, 20, 2, 1)).tolist() == [[0, 1]]


def test_a_mask_file_of_another_size_or_black_all_over_is_refused() -> None:
    with pytest.raises(Refusal, match=r"The mask is 60 × 45 px and the picture 120 × 90 px\. Save"):
        PictureMask(Pixels(np.full((45, 60, 3), 65535, np.uint16)), ON)
    with pytest.raises(Refusal, match="covers nothing"):
        PictureMask(Pixels(np.zeros((90, 120, 3), np.uint16)), ON)


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ({"size": [120, 90], "steps": [{"kind": "blob"}]}, r"steps\[0\]\.kind.*one of stroke, outline"),
        ({"size": [120, 90], "steps": [{"kind": "stroke", "points": [1, 2]}]}, "points of 3 numbers"),
        ({"size": [120, 90], "steps": [{"kind": "outline", "points": [1, 2, 3, 4]}]}, "at least 3 points"),
        ({"size": [120, 90], "steps": [{"kind": "ellipse", "across": -1}]}, "across"),
        ({"size": [0, 90], "steps": []}, "size"),
        ({"size": [9, 9], "steps": [{"kind": "fill"}] * 2001}, "at most 2000"),
        ("everything", "must be an object"),
    ],
)  # fmt: skip
def test_what_is_no_mask_is_refused_by_its_field(given: object, says: str) -> None:
    with pytest.raises(FieldRefusal, match=says):
        Mask.from_json(given)
