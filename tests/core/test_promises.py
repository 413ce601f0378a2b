"""The engine's promises, on a real picture through the real network."""

import random
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import Stopped
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture
from enamel.core.pipeline.firing import FiringResult, fire
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Fit, Mode, Refine, Schedule
from enamel.core.tiling import joint
from enamel.core.upscaling import Enlarged, upscaler
from tests.core.conftest import MODES, SAMPLERS
from tests.pictures import (
    STATIONMASTER_TRUTH,
    assert_same_pixels,
    distance,
    part,
    portrait,
    whole,
)
from tests.schedules import coat, quick

Fire = Callable[..., FiringResult]
CHANCE = random.Random(20)
WINDOWS = [
    Box(0, 0, 40, 30),
    Box(CHANCE.randrange(190), CHANCE.randrange(150), 33, 25),
]


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("sampler", SAMPLERS)
def test_1_a_window_equals_that_part_of_the_whole(
    fired: Fire, mode: Mode, sampler: Sampler
) -> None:
    schedule = coat(mode=mode, sampler=sampler, hold=0.5, guidance=1.5)
    complete = whole(fired(schedule).result)
    for window in WINDOWS:
        alone = fired(schedule, window).result
        assert alone.region == window
        assert_same_pixels(alone.read(window), complete[window.slices])


def test_1_through_two_coats_with_odd_sizes(fired: Fire) -> None:
    schedule = Schedule(
        (
            Coat(size=(173, 139), refine=quick(steps=2)),
            Coat(factor=1.5, upscaler="bicubic", refine=quick(steps=2)),
        )
    )
    complete = fired(schedule)
    assert complete.result.size == Size(260, 208)
    window = Box(11, 7, 30, 41)
    alone = fired(schedule, window)
    assert_same_pixels(alone.result.read(window), whole(complete.result)[window.slices])
    assert alone.layers[0].canvas.region.area < complete.layers[0].canvas.region.area


@pytest.mark.parametrize("mode", MODES)
def test_1_and_6_tiles_fitted_to_the_picture_change_neither(
    fired: Fire, mode: Mode, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(joint, "LARGEST_CORE", 80)
    schedule = coat(mode=mode, fit=Fit.AUTO)
    complete = fired(schedule)
    assert complete.reports[0].tiles > 2
    for window in WINDOWS:
        assert_same_pixels(
            fired(schedule, window).result.read(window), whole(complete.result)[window.slices]
        )
    if mode is Mode.JOINT:
        assert_same_pixels(whole(complete.result), whole(fired(coat(mode=mode)).result))


class StopAfter:
    """A stop sign that shows once so many tiles were heard of."""

    def __init__(self, tiles: int) -> None:
        self.left = tiles

    def on_progress(self, progress: Progress) -> None:
        self.left -= 1

    def __call__(self) -> bool:
        return self.left <= 0


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("sampler", [Sampler.EULER_ANCESTRAL, Sampler.HEUN, Sampler.DPMPP_2M])
def test_2_stopped_anywhere_and_resumed_equals_undisturbed(
    fired: Fire, tmp_path: Path, mode: Mode, sampler: Sampler
) -> None:
    schedule = coat(mode=mode, sampler=sampler, tile=(64, 64), overlap=16)
    undisturbed = whole(fired(schedule).result)
    work = tmp_path / "disturbed"
    stops = 0
    for tiles in (1, 2, 3):
        sign = StopAfter(tiles)
        try:
            fire(portrait(), schedule, work, on_progress=sign.on_progress, stopping=sign)
        except Stopped:
            stops += 1
    assert stops == 3
    resumed = fired(schedule, work=work)
    assert_same_pixels(whole(resumed.result), undisturbed)
    assert resumed.reports[0].tiles < fired(schedule).reports[0].tiles


def test_3_strength_0_is_the_upscaler_alone_and_more_strength_goes_further(fired: Fire) -> None:
    plain = Enlarged(portrait(), Size(224, 176), upscaler("lanczos"))
    assert_same_pixels(whole(fired(coat(strength=0)).result), whole(plain))
    gone = [distance(fired(coat(strength=s)).result, plain) for s in (0.1, 0.3, 0.6, 0.9)]
    assert gone == sorted(gone)
    assert gone[0] > 0


@pytest.mark.parametrize("mode", MODES)
def test_4_same_seed_same_picture_other_seed_another(fired: Fire, mode: Mode) -> None:
    first, again, other = (fired(coat(mode=mode, seed=seed)).result for seed in (5, 5, 6))
    assert_same_pixels(whole(first), whole(again))
    assert distance(first, other) > 0.002


def test_6_joint_mode_does_not_depend_on_the_tile_size(fired: Fire) -> None:
    results = [
        whole(fired(coat(mode=Mode.JOINT, tile=tile)).result)
        for tile in ((64, 64), (96, 72), (512, 512))
    ]
    assert_same_pixels(results[0], results[1])
    assert_same_pixels(results[0], results[2])


def test_sizes_are_exact_whatever_the_grid_of_the_network(fired: Fire) -> None:
    for size in ((227, 181), (64, 99)):
        for mode in MODES:
            schedule = Schedule((Coat(size=size, refine=quick(mode=mode, steps=1)),))
            assert fired(schedule).result.size == Size(*size)


def test_hold_sampler_and_steps_all_change_the_picture(fired: Fire) -> None:
    plain = fired(coat()).result
    for settings in ({"hold": 0.2}, {"sampler": Sampler.HEUN}, {"steps": 6}, {"guidance": 2.0}):
        assert distance(fired(coat(**settings)).result, plain) > 0.0005, settings


MOST_LOST = 10 ** (1.5 / 20)
"""Farther from the truth by at most 1.5 dB: detail that can't be known costs as much as it shows."""


def fine_detail(picture: Picture) -> float:
    """Spectral energy above 0.4 of the Nyquist frequency."""
    grey = whole(picture)[..., :3].mean(axis=2) / 65535
    faded = (grey - grey.mean()) * np.hanning(grey.shape[0])[:, None] * np.hanning(grey.shape[1])
    power = np.abs(np.fft.fft2(faded)) ** 2
    y, x = (np.fft.fftfreq(side)[:, None] for side in grey.shape)
    return float(power[np.hypot(y, x.T) > 0.4 * 0.5].sum())


def test_refining_brings_back_fine_detail_without_losing_the_picture(tmp_path: Path) -> None:
    truth = part(STATIONMASTER_TRUTH, Box(560, 600, 192, 192))
    small = Enlarged(truth, Size(96, 96), upscaler("lanczos"))
    plain = Enlarged(small, truth.size, upscaler("lanczos"))
    schedule = Schedule((Coat(factor=2, refine=Refine("camaieu", 0.3, mode=Mode.JOINT)),))
    refined = fire(small, schedule, tmp_path).result
    assert 3 * fine_detail(plain) < fine_detail(refined) < 1.15 * fine_detail(truth)
    assert distance(refined, truth) < MOST_LOST * distance(plain, truth)
