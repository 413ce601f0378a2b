"""Protected parts: less strength for some pixels, with all of the engine's promises."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import Stopped
from enamel.core.fields import to_json
from enamel.core.geometry import Box, Size
from enamel.core.masks import Mask
from enamel.core.masks.steps import Ellipse, Feather, Rectangle
from enamel.core.pipeline.firing import FiringResult, fire
from enamel.core.schedule import Coat, JoinPass, Mode, Order, Protect, Refine, Region, Schedule
from enamel.core.tiling.protect import Fractions, starts
from enamel.core.tiling.words import Script
from enamel.core.upscaling import Enlarged, upscaler
from tests.core.conftest import MODES, SAMPLERS
from tests.core.test_promises import StopAfter
from tests.networks import PLAIN
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import coat, quick

Fire = Callable[..., FiringResult]
SIZE = Size(224, 176)
FACE = Mask(tuple(portrait().size), (Ellipse(56, 44, 24, 20), Feather(16)))
HELD = Protect(FACE)


def fractions(protect: Protect) -> np.ndarray:
    return Fractions(protect, SIZE).read(Box.whole(SIZE))[..., 0]


def moved(fired: FiringResult) -> np.ndarray:
    """How far each pixel went from the enlarged picture."""
    plain = whole(Enlarged(portrait(), SIZE, upscaler("lanczos")))
    return np.abs(whole(fired.result).astype(int) - plain).mean(axis=2)


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("sampler", SAMPLERS)
def test_what_is_protected_stays_the_enlarged_picture_bit_for_bit(
    fired: Fire, mode: Mode, sampler: Sampler
) -> None:
    gone = moved(fired(coat(mode=mode, sampler=sampler, protect=HELD, strength=0.6)))
    assert not gone[fractions(HELD) == 0].any()
    free = moved(fired(coat(mode=mode, sampler=sampler, strength=0.6)))
    far = fractions(HELD) == 1
    assert gone[far].mean() == pytest.approx(free[far].mean(), rel=0.1)


@pytest.mark.parametrize("order", list(Order))
def test_and_so_in_every_order_with_joins_grit_and_anchored_colour(
    fired: Fire, order: Order
) -> None:
    settings = {
        "tile": (96, 96),
        "overlap": 32,
        "joins": JoinPass(0.4, 32),
        "extra_noise": 0.05,
        "anchor": 0.8,
    }
    gone = moved(fired(coat(order=order, protect=HELD, contrast=1.2, **settings)))
    assert not gone[fractions(HELD) == 0].any()
    assert gone[fractions(HELD) == 1].mean() > 100


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("sampler", [Sampler.EULER_ANCESTRAL, Sampler.DPMPP_2M])
def test_1_a_window_equals_that_part_of_the_whole(
    fired: Fire, mode: Mode, sampler: Sampler
) -> None:
    schedule = coat(mode=mode, sampler=sampler, protect=Protect(FACE, 0.3), anchor=0.5)
    complete = whole(fired(schedule).result)
    for window in (Box(0, 0, 40, 30), Box(88, 60, 33, 41)):
        assert_same_pixels(fired(schedule, window).result.read(window), complete[window.slices])


@pytest.mark.parametrize("mode", MODES)
def test_2_stopped_and_resumed_equals_undisturbed(fired: Fire, tmp_path: Path, mode: Mode) -> None:
    schedule = coat(mode=mode, protect=Protect(FACE, 0.3), tile=(64, 64), overlap=16)
    sign = StopAfter(2)
    with pytest.raises(Stopped):
        fire(portrait(), schedule, tmp_path / "work", on_progress=sign.on_progress, stopping=sign)
    resumed = fired(schedule, work=tmp_path / "work")
    assert_same_pixels(whole(resumed.result), whole(fired(schedule).result))


def test_6_joint_mode_does_not_depend_on_the_tile_size(fired: Fire) -> None:
    one, other = (
        whole(fired(coat(mode=Mode.JOINT, tile=tile, protect=Protect(FACE, 0.3))).result)
        for tile in ((64, 64), (512, 512))
    )
    assert_same_pixels(one, other)


def test_more_of_the_strength_goes_further(fired: Fire) -> None:
    inside = fractions(HELD) == 0
    gone = [
        moved(fired(coat(strength=0.6, steps=8, protect=Protect(FACE, left))))[inside].mean()
        for left in (0.0, 0.25, 0.5, 0.75, 1.0)
    ]
    assert gone == sorted(gone)
    assert gone[0] == 0
    free = moved(fired(coat(strength=0.6, steps=8)))[inside].mean()
    assert gone[-1] == free


@pytest.mark.parametrize("left", [0.3, 0.6])
def test_a_share_of_the_strength_goes_about_as_far_as_that_strength(
    fired: Fire, left: float
) -> None:
    everywhere = Protect(Mask(tuple(portrait().size), (Rectangle(-9, -9, 999, 999),)), left)
    shared = moved(fired(coat(strength=0.8, steps=16, restore=0.0, protect=everywhere))).mean()
    alone = moved(fired(coat(strength=0.8 * left, steps=16, restore=0.0))).mean()
    assert 0.6 < shared / alone < 1.6


def test_starts_rise_from_nothing() -> None:
    found = starts(np.linspace(0, 1, 101, dtype=np.float32), 0.5, ((0, 0.01), (1, 0.5)))
    assert found[0] == 0
    assert np.all(np.diff(found) > 0)


def test_settings_with_masks_are_read_back_as_written() -> None:
    refine = quick(protect=HELD, regions=(Region(mask=FACE, prompt="brick"),))
    schedule = Schedule((Coat(factor=2, refine=refine),))
    assert Schedule.from_json(to_json(schedule)) == schedule


def test_words_reach_the_tiles_that_a_drawn_region_covers() -> None:
    settings = Refine(regions=(Region(mask=FACE, prompt="brick"),))
    script = Script(settings, replace(PLAIN, vocabulary=(("brick",), ("wood",))), SIZE)
    inside, outside = script.at(Box(100, 80, 24, 16)), script.at(Box(0, 0, 24, 16))
    assert inside is not None
    assert outside is not None
    assert inside[0] == pytest.approx(1)
    assert outside[0] == 0
