"""Touch-ups: what is masked changes, everything else stays bit for bit."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, Pixels
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.coverage import FullCoverage, PictureMask
from enamel.core.masks.steps import Ellipse, Feather, Fill, Rectangle, Stroke, box_mask
from enamel.core.pipeline.join import MatchedPatch, harmonic
from enamel.core.pipeline.touchup import Origin, Patch, TouchUp, from_box, make_patch, touch_up
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import quick

ON = portrait().size
PLACE = Mask(tuple(ON), (Ellipse(54, 40, 22, 18), Feather(8)))
STROKE = Mask(tuple(ON), (Stroke((36, 30, 1, 70, 50, 1), 9, 0.6),))


def settings(*patches: Patch, **more: object) -> TouchUp:
    given = patches or (Patch(PLACE, working=128, strength=0.5, seed=3),)
    return TouchUp(given, refine=quick(), **more)  # type: ignore[arg-type]


def mended(tmp_path: Path, picture: Pixels, asked: TouchUp, **more: object) -> Canvas:
    into = tmp_path / "mended.npy"
    touch_up(picture, asked, tmp_path / "work", into, **more)  # type: ignore[arg-type]
    return Canvas(into)


@pytest.mark.parametrize("mask", [PLACE, STROKE, box_mask(Box(30, 20, 48, 40), ON, 8)])
def test_7_nothing_changes_outside_the_mask(tmp_path: Path, mask: Mask) -> None:
    before = whole(portrait())
    after = whole(mended(tmp_path, portrait(), settings(Patch(mask, working=128, strength=0.6))))
    covered = RenderedMask(mask, ON).read(Box.whole(ON))
    assert np.abs(after[covered > 0.9].astype(int) - before[covered > 0.9]).mean() > 50
    assert_same_pixels(after[covered == 0], before[covered == 0])


def test_alpha_stays_as_it_is(tmp_path: Path) -> None:
    colour = whole(portrait())
    alpha = np.arange(colour[..., :1].size, dtype=np.uint16).reshape(colour[..., :1].shape)
    picture = Pixels(np.concatenate([colour, alpha], 2))
    assert_same_pixels(whole(mended(tmp_path, picture, settings()))[..., 3:], alpha)


def test_parts_of_one_place_come_from_several_seeds(tmp_path: Path) -> None:
    left = Mask(tuple(ON), (Rectangle(0, 0, 54, 1000),))
    right = Mask(tuple(ON), (Rectangle(54, 0, 1000, 1000),))
    one = Patch(PLACE, None, 128, 0.6, 1)
    other = replace(one, seed=2)
    alone = [
        whole(mended(tmp_path / str(patch.seed), portrait(), settings(patch)))
        for patch in (one, other)
    ]
    both = whole(
        mended(tmp_path / "both", portrait(), settings(replace(one, over=left), replace(other, over=right)))
    )  # fmt: skip
    assert_same_pixels(both[:, :52], alone[0][:, :52])
    assert_same_pixels(both[:, 57:], alone[1][:, 57:])
    assert np.abs(alone[0].astype(int) - alone[1])[30:50, 40:70].mean() > 20


def test_a_patch_that_was_made_before_is_laid_as_it_is(tmp_path: Path) -> None:
    asked = settings()
    placed = asked.placed(asked.patches[0], ON)
    made = make_patch(portrait(), placed, tmp_path / "before")
    samples = made.samples.read(Box.whole(placed.around.size))

    def known(number: int) -> np.ndarray:
        assert number == 0
        return samples

    again = mended(tmp_path / "again", portrait(), asked, known=known)
    assert not (tmp_path / "again" / "work").exists()
    assert_same_pixels(whole(again), whole(mended(tmp_path / "anew", portrait(), asked)))


def test_the_base_is_refined_in_the_layers_place_and_is_where_it_was(tmp_path: Path) -> None:
    base = portrait()
    layer = Pixels(
        np.repeat(np.repeat(whole(base) // 2, 2, 0), 2, 1)
    )  # much darker, twice as large
    mask = Mask(tuple(layer.size), (Ellipse(108, 80, 40, 36),))
    asked = settings(Patch(mask, working=128, strength=0), origin=Origin.BASE, match=0.0)
    after = whole(mended(tmp_path, layer, asked, base=base))
    inside = RenderedMask(mask, layer.size).read(Box.whole(layer.size)) == 1
    expected = np.repeat(np.repeat(whole(base), 2, 0), 2, 1)
    assert np.abs(after[inside].astype(int) - expected[inside]).mean() < 1500
    assert_same_pixels(after[:40], whole(layer)[:40])


def test_colour_around_the_mask_is_matched_into_it() -> None:
    height, width = 120, 160
    before = np.full((height, width, 3), 30000, np.uint16)
    before[:, :, 0] += np.linspace(0, 6000, width).astype(np.uint16)
    fresh = np.full((height, width, 3), 34000, np.uint16)
    size = Size(width, height)
    mask = RenderedMask(Mask(tuple(size), (Ellipse(80, 60, 40, 30),)), size)
    matched = MatchedPatch(Pixels(fresh), Pixels(before), mask, 1.0).read(Box.whole(size))
    level = 257
    assert np.abs(matched - before).max() < level
    half = MatchedPatch(Pixels(fresh), Pixels(before), mask, 0.5).read(Box.whole(size))
    assert np.abs((half - before) * 2 - (fresh - before.astype(float))).max() < 2 * level
    unled = MatchedPatch(Pixels(fresh), Pixels(before), FullCoverage(size), 1.0)
    np.testing.assert_array_equal(unled.read(Box.whole(size)), fresh)


@given(slope=st.tuples(st.floats(-5, 5), st.floats(-5, 5)), hole=st.integers(2, 20))
def test_a_slope_goes_on_through_a_gap(slope: tuple[float, float], hole: int) -> None:
    y, x = np.mgrid[:40, :48].astype(np.float32)
    values = (slope[0] * x + slope[1] * y)[..., None]
    known = np.ones((40, 48), bool)
    known[10 : 10 + hole, 12 : 12 + hole] = False
    filled = harmonic(values * known[..., None], known)
    np.testing.assert_allclose(filled, values, atol=0.02 * (1 + np.abs(values).max()))


def test_a_mask_that_came_as_a_file_is_used_as_it_is(tmp_path: Path) -> None:
    samples = np.zeros((ON.height, ON.width, 3), np.uint16)
    samples[30:50, 40:70] = 65535
    before = whole(portrait())
    mask = PictureMask(Pixels(samples), ON)
    after = whole(mended(tmp_path, portrait(), settings(Patch(working=128)), masks=(mask,)))
    changed = (after != before).any(axis=2)
    assert changed[30:50, 40:70].mean() > 0.9
    changed[30:50, 40:70] = False
    assert not changed.any()


@pytest.mark.parametrize("mask", [Mask(tuple(ON)), Mask(tuple(ON), (Rectangle(5000, 0, 40, 40),))])
def test_a_mask_that_covers_nothing_is_refused(tmp_path: Path, mask: Mask) -> None:
    with pytest.raises(Refusal, match="covers nothing of this picture"):
        touch_up(portrait(), settings(Patch(mask)), tmp_path / "work", tmp_path / "x.npy")
    assert not (tmp_path / "x.npy").exists()


def test_a_mask_larger_than_is_refined_at_once_is_refused() -> None:
    large = Size(9000, 6000)
    everything = Patch(Mask(large, (Fill(),)))
    with pytest.raises(
        Refusal, match=r"mends up to 24 megapixels at once\. Mask less, or fire a coat"
    ):
        settings(everything).within(large)
    settings(everything).within(Size(4500, 3000))


def test_settings_are_read_back_as_written() -> None:
    asked = settings(Patch(STROKE, PLACE, 256, 0.4, 7), context=0.25, match=0.5)
    assert TouchUp.from_json(to_json(asked)) == asked
    with pytest.raises(FieldRefusal, match=r"patches.*at least one place"):
        TouchUp()
    with pytest.raises(FieldRefusal, match=r"patches\.\[0\]\.working|patches\[0\]\.working"):
        TouchUp.from_json({"patches": [{"working": 1}]})


def test_touch_ups_of_earlier_versions_are_read() -> None:
    old = {"box": [30, 20, 48, 40], "feather": 8, "context": 0.5, "working": 300}
    old["refine"] = to_json(quick(seed=9))
    read = TouchUp.from_json(from_box(old, ON))
    assert read.patches[0].seed == 9
    assert read.patches[0].working == 300
    assert RenderedMask(read.patches[0].mask, ON).read(Box(54, 40, 1, 1)) == 1


def test_it_is_shown_where_settings_go_strange() -> None:
    narrow = settings(Patch(PLACE, working=2048, strength=0.8), context=0.1)
    cautions = narrow.placed(narrow.patches[0], ON).cautions(narrow.context, 0.8)
    assert len(cautions) == 3
    usual = settings()
    assert not usual.placed(usual.patches[0], ON).cautions(usual.context, 0.45)


def test_a_tiny_place_gets_enough_around_it_to_be_refined(tmp_path: Path) -> None:
    dot = Mask(tuple(ON), (Ellipse(54, 40, 1.5, 1.5),))
    placed = settings(context=0.0).placed(Patch(dot), ON)
    assert min(placed.around.size) >= 16
    after = whole(mended(tmp_path, portrait(), settings(Patch(dot, working=128), context=0.0)))
    assert (after != whole(portrait())).any()
