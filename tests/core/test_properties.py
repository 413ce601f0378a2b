"""The promises as properties: any window, any settings, any place to stop. Small pictures, real network."""

import tempfile
from concurrent.futures import Executor
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import Stopped
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas, SampleArray
from enamel.core.masks import Mask, RenderedMask
from enamel.core.pipeline.firing import fire
from enamel.core.pipeline.touchup import Patch, TouchUp, touch_up
from enamel.core.schedule import JoinPass, Mode, Order, Schedule
from enamel.core.upscaling import Enlarged, upscaler
from tests.core.test_masks import masks
from tests.core.test_promises import StopAfter
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import coat, quick

BASE = portrait(72, 56)
SIZE = (144, 112)
few = settings(max_examples=5, suppress_health_check=[HealthCheck.function_scoped_fixture])

refinements = st.fixed_dictionaries(
    {
        "strength": st.floats(0.05, 1),
        "steps": st.integers(1, 3),
        "sampler": st.sampled_from(Sampler),
        "seed": st.integers(0, 2**40),
        "hold": st.sampled_from([1.0, 0.6]),
        "guidance": st.sampled_from([1.0, 1.4]),
        "tile": st.tuples(st.integers(64, 120), st.integers(64, 120)),
        "overlap": st.integers(0, 32),
        "feather": st.floats(0, 1),
        "order": st.sampled_from(Order),
        "mode": st.sampled_from(Mode),
        "joins": st.sampled_from([None, JoinPass(0.3, 24)]),
        "extra_noise": st.sampled_from([0.0, 0.04]),
        "anchor": st.sampled_from([0.0, 0.7]),
        "anchor_radius": st.just(12),
    }
)


@st.composite
def windows(draw: st.DrawFn) -> Box:
    x, y = draw(st.integers(0, SIZE[0] - 1)), draw(st.integers(0, SIZE[1] - 1))
    return Box(x, y, draw(st.integers(1, SIZE[0] - x)), draw(st.integers(1, SIZE[1] - y)))


def fired(schedule: Schedule, window: Box | None = None, **more: Any) -> SampleArray:
    with tempfile.TemporaryDirectory() as folder:
        work = more.pop("work", Path(folder))
        result = fire(BASE, schedule, work, window=window, **more).result
        return result.read(window or Box.whole(result.size))


@few
@given(refine=refinements, window=windows())
def test_1_any_window_of_any_refinement(refine: dict[str, Any], window: Box) -> None:
    schedule = coat(**refine)
    assert_same_pixels(fired(schedule, window), fired(schedule)[window.slices])


@few
@given(refine=refinements, stops=st.lists(st.integers(1, 5), min_size=1, max_size=3))
def test_2_stopped_at_any_places(refine: dict[str, Any], stops: list[int]) -> None:
    schedule = coat(**refine)
    with tempfile.TemporaryDirectory() as folder:
        for tiles in stops:
            sign = StopAfter(tiles)
            try:
                fire(BASE, schedule, Path(folder), on_progress=sign.on_progress, stopping=sign)
            except Stopped:
                continue
        resumed = whole(fire(BASE, schedule, Path(folder)).result)
    assert_same_pixels(resumed, fired(schedule))


@few
@given(
    strengths=st.lists(st.floats(0.05, 1), min_size=2, max_size=2).filter(
        lambda pair: abs(pair[0] - pair[1]) > 0.25
    ),
    mode=st.sampled_from(Mode),
)
def test_3_more_strength_goes_further(strengths: list[float], mode: Mode) -> None:
    plain = whole(Enlarged(BASE, fire_size(), upscaler("lanczos"))).astype(float)
    unconditional, strong = (
        ((fired(coat(strength=strength, mode=mode)) - plain) ** 2).mean()
        for strength in sorted(strengths)
    )
    assert 0 < unconditional < strong


def fire_size() -> Any:
    return coat().sizes(BASE.size)[-1]


@few
@given(refine=refinements)
def test_4_twice_the_same_and_another_seed_another(refine: dict[str, Any]) -> None:
    first = fired(coat(**refine))
    assert_same_pixels(first, fired(coat(**refine)))
    assert (first != fired(coat(**refine | {"seed": refine["seed"] + 1}))).any()


@few
@given(refine=refinements, tile=st.tuples(st.integers(64, 400), st.integers(64, 400)))
def test_6_joint_mode_whatever_the_tiles(refine: dict[str, Any], tile: tuple[int, int]) -> None:
    joint = refine | {"mode": Mode.JOINT}
    assert_same_pixels(fired(coat(**joint)), fired(coat(**joint | {"tile": tile})))


@few
@given(mask=masks, context=st.floats(0, 2), match=st.sampled_from([0.0, 1.0]))
def test_7_a_touch_up_anywhere_changes_nothing_outside(
    mask: Mask, context: float, match: float
) -> None:
    covered = RenderedMask(mask, BASE.size).read(Box.whole(BASE.size))
    assume(covered.any())
    mend = TouchUp((Patch(mask, working=128),), context, match, refine=quick(steps=1))
    with tempfile.TemporaryDirectory() as folder:
        into = Path(folder) / "mended.npy"
        touch_up(BASE, mend, Path(folder) / "work", into)
        with Canvas(into) as canvas:
            after = whole(canvas)
    assert_same_pixels(after[covered == 0], whole(BASE)[covered == 0])


def test_an_executor_of_ones_own_is_used(pool: Executor, tmp_path: Path) -> None:
    result = fire(BASE, coat(), tmp_path, executor=pool).result
    assert_same_pixels(whole(result), fired(coat()))
