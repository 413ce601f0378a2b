"""Predictions that learn: from what was done here, the newest and the nearest in size first."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.core.pipeline.pace import Kind, Paces, Portion, TimedPortion


def seen(
    amount: float, model: str = "grisaille", mode: str = "separate", tile: str = "512x512"
) -> Portion:
    return Portion(Kind.REFINE, amount, model, mode, tile)


def test_before_anything_was_done_the_trial_tells_the_pace_and_then_it_no_longer_does() -> None:
    assert Paces(rates={"grisaille": 0.5}).seconds(seen(10)) == pytest.approx(20)
    assert Paces([TimedPortion(seen(10), 30.0)], {"grisaille": 0.5}).seconds(
        seen(10)
    ) == pytest.approx(30)


@given(pace=st.floats(0.01, 100), amounts=st.lists(st.floats(0.1, 500), min_size=1, max_size=24))
def test_work_that_always_went_at_one_pace_is_predicted_exactly(
    pace: float, amounts: list[float]
) -> None:
    paces = Paces([TimedPortion(seen(amount), pace * amount) for amount in amounts])
    assert paces.seconds(seen(7.0)) == pytest.approx(7 * pace)


@given(
    times=st.lists(st.tuples(st.floats(0.1, 500), st.floats(0.01, 100)), min_size=1, max_size=24),
    amount=st.floats(0.1, 500),
)
def test_a_predicted_pace_is_one_that_was_seen(
    times: list[tuple[float, float]], amount: float
) -> None:
    paces = Paces([TimedPortion(seen(done), done * pace) for done, pace in times])
    predicted = paces.seconds(seen(amount)) / amount
    assert min(abs(predicted / pace - 1) for _, pace in times) < 1e-6


def test_the_same_tile_and_mode_count_before_other_tiles_and_other_tiles_before_other_modes() -> (
    None
):
    small = TimedPortion(seen(10, tile="128x128"), 50.0)
    other = TimedPortion(seen(10), 20.0)
    joint = TimedPortion(seen(10, mode="joint"), 80.0)
    paces = Paces([joint, small, other])
    assert paces.seconds(seen(10)) == pytest.approx(20)
    assert paces.seconds(seen(10, mode="joint", tile="64x64")) == pytest.approx(80)
    assert Paces([joint, small]).seconds(seen(10)) == pytest.approx(50)
    assert Paces([joint]).seconds(seen(10)) == pytest.approx(80)
    assert Paces([joint], {"camaieu": 1.0}).seconds(seen(10, model="camaieu")) == pytest.approx(10)


def test_a_machine_that_became_slower_is_believed_after_three_pieces_of_work() -> None:
    done = [TimedPortion(seen(10), 10.0)] * 21
    assert Paces([TimedPortion(seen(10), 30.0), *done]).seconds(seen(10)) == pytest.approx(
        10
    )  # may be chance
    assert Paces([TimedPortion(seen(10), 30.0)] * 4 + done).seconds(seen(10)) == pytest.approx(30)


def test_little_work_is_predicted_by_little_work() -> None:
    """What is needed once, such as loading a network, weighs more there."""
    once = 2.0
    done = [TimedPortion(seen(amount), once + amount) for amount in (64.0, 1.0) * 6]
    assert Paces(done).seconds(seen(1.0)) == pytest.approx(3.0, rel=0.01)
    assert Paces(done).seconds(seen(64.0)) == pytest.approx(66.0, rel=0.01)


@pytest.mark.parametrize("seed", range(5))
def test_from_the_third_time_on_nine_of_ten_are_within_a_quarter(seed: int) -> None:
    """A machine with loads that come and go, three kinds of work in five sizes, network start-up, noise."""
    random = np.random.default_rng(seed)
    kinds: list[Callable[[float], Portion]] = [
        seen,
        lambda amount: seen(amount, mode="joint"),
        lambda amount: seen(amount, model="camaieu", tile="256x256"),
    ]
    done: list[TimedPortion] = []
    times: dict[int, int] = {}
    within = []
    for _ in range(300):
        which = int(random.integers(3))
        amount = float(random.choice([2.0, 5.0, 12.0, 40.0, 90.0]))
        work = kinds[which](amount)
        load = 1.8 if random.random() < 0.05 else random.lognormal(0, 0.08)
        actual = 0.8 + amount * (1 + which) * 0.7 * load
        if times.get(which, 0) >= 2:
            within.append(abs(Paces(done[:72]).seconds(work) / actual - 1) < 0.25)
        times[which] = times.get(which, 0) + 1
        done.insert(0, TimedPortion(work, actual))
    assert np.mean(within) > 0.9
