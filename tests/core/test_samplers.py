"""Samplers against a closed form: pictures that are normally distributed have an exact answer.

For pixels ~ N(m, s²) the clean estimate at x is (s² x + σ² m) / (s² + σ²), and the ODE leads from
(x, σ) to m + (x − m) √((s² + σ'²) / (s² + σ²)).
"""

import math

import numpy as np
import pytest

from enamel.core.diffusion.samplers import Sampler, State, sampler_steps
from enamel.core.diffusion.sigmas import Spacing, levels, own_sigmas, sigma_of
from enamel.core.imaging.canvas import FloatArray

MEAN, SPREAD = 0.2, 0.5
START, END = 1.0, 0.02


def denoised(x: FloatArray, sigma: float) -> FloatArray:
    return ((SPREAD**2 * x + sigma**2 * MEAN) / (SPREAD**2 + sigma**2)).astype(np.float32)


def exact(x: float, sigma: float, following: float) -> float:
    return MEAN + (x - MEAN) * math.sqrt((SPREAD**2 + following**2) / (SPREAD**2 + sigma**2))


def sampled(sampler: Sampler, sigmas: list[float], x: FloatArray, seed: int = 0) -> FloatArray:
    """Where a sampler arrives at the last level above 0."""
    rng = np.random.default_rng(seed)
    state: State = (x,)
    for sampler_step in sampler_steps(sampler, sigmas):
        if sampler_step.sigma == sigmas[-2] and sampler_step.fields_out == 1:
            break
        state = sampler_step.step(
            state,
            denoised(state[0], sampler_step.sigma),
            lambda step: rng.standard_normal(x.shape).astype(np.float32),
        )
    return state[0]


def error(sampler: Sampler, steps: int, spacing: Spacing) -> float:
    x = np.full((1, 1, 3), 1.7, np.float32)
    arrived = sampled(sampler, levels(START, END, steps, spacing, 3.0), x)
    return abs(float(arrived[0, 0, 0]) - exact(1.7, START, END))


@pytest.mark.parametrize("spacing", [Spacing.KARRAS, Spacing.UNIFORM])
@pytest.mark.parametrize(
    ("sampler", "order"), [(Sampler.EULER, 1), (Sampler.HEUN, 2), (Sampler.DPMPP_2M, 2)]
)
def test_converges_at_its_order(sampler: Sampler, order: int, spacing: Spacing) -> None:
    coarse, fine = error(sampler, 17, spacing), error(sampler, 33, spacing)
    measured = math.log2(coarse / fine)
    assert order - 0.3 < measured < order + 0.6, f"order {measured:.2f}"


def test_heun_and_dpm_beat_euler_at_the_same_steps() -> None:
    errors = {sampler: error(sampler, 9, Spacing.KARRAS) for sampler in Sampler}
    assert errors[Sampler.HEUN] < errors[Sampler.EULER] / 3
    assert errors[Sampler.DPMPP_2M] < errors[Sampler.EULER] / 2


def test_ancestral_sampling_gives_the_right_distribution() -> None:
    rng = np.random.default_rng(5)
    spread = math.hypot(SPREAD, START)
    x = (MEAN + spread * rng.standard_normal((128, 128, 3))).astype(np.float32)
    arrived = sampled(Sampler.EULER_ANCESTRAL, levels(START, END, 200), x, seed=9)
    assert abs(arrived.mean() - MEAN) < 0.01
    assert abs(arrived.std() - math.hypot(SPREAD, END)) < 0.02


@pytest.mark.parametrize("sampler", Sampler)
def test_a_perfect_estimate_is_reached_exactly(sampler: Sampler) -> None:
    target = np.full((2, 2, 3), 0.25, np.float32)
    state: State = (target + 1,)
    for sampler_step in sampler_steps(sampler, levels(1.0, 0.01, 5)):
        assert len(state) == sampler_step.fields_in
        state = sampler_step.step(state, target, lambda step: np.zeros_like(target))
        assert len(state) == sampler_step.fields_out
    np.testing.assert_array_equal(state[0], target)


@pytest.mark.parametrize("spacing", [Spacing.KARRAS, Spacing.UNIFORM])
def test_levels_fall_from_start_to_zero(spacing: Spacing) -> None:
    found = levels(0.6, 0.01, 8, spacing)
    assert len(found) == 9
    assert found[0] == 0.6
    assert found[-2] == pytest.approx(0.01)
    assert found[-1] == 0
    assert all(before > after for before, after in zip(found, found[1:], strict=False))


@pytest.mark.parametrize("spacing", [Spacing.KARRAS, Spacing.UNIFORM])
@pytest.mark.parametrize("start", [0.01, 0.004, 0.0101])
def test_a_pass_from_the_lowest_level_has_the_steps_that_were_asked_for(
    spacing: Spacing, start: float
) -> None:
    found = levels(start, 0.01, 8, spacing)
    assert len(found) == 9
    assert found[0] == start
    assert found[-1] == 0
    assert all(one > following for one, following in zip(found, found[1:], strict=False))


def test_a_models_own_levels_are_even_in_its_strengths() -> None:
    knots = [(0.0, 0.03), (0.5, 1.6), (1.0, 14.6)]
    found = own_sigmas(0.8, 4, knots)
    assert found == pytest.approx([*(sigma_of(s, knots) for s in (0.8, 0.6, 0.4, 0.2)), 0.0])
    assert all(before > after for before, after in zip(found, found[1:], strict=False))


def test_strength_grows_with_sigma_and_has_no_level_at_zero() -> None:
    knots = ((0.0, 0.02), (1.0, 1.0))
    found = [sigma_of(strength, knots) for strength in (0.1, 0.3, 0.5, 1.0)]
    assert found == sorted(found)
    assert found[-1] == pytest.approx(1.0)
    with pytest.raises(ValueError, match="no noise level"):
        sigma_of(0, knots)


@pytest.mark.parametrize("sampler", Sampler)
def test_what_is_missing_comes_back_as_each_evaluation_says(sampler: Sampler) -> None:
    """With a perfect estimate, each state lacks exactly the share that its evaluation is told."""
    clean, enlarged = np.float32(0.25), np.float32(-0.5)
    state: State = (np.full((2, 2, 3), clean + 0.8 * (enlarged - clean), np.float32),)
    plan = sampler_steps(sampler, levels(0.4, 0.01, 6), degradation=0.8)
    assert plan[0].degradation == 0.8
    assert plan[-1].degradation < 0.05
    for sampler_step in plan:
        lacking = (state[0] - clean) / (enlarged - clean)
        np.testing.assert_allclose(lacking, sampler_step.degradation, atol=1e-5)
        state = sampler_step.step(
            state, np.full((2, 2, 3), clean), lambda step: np.zeros((2, 2, 3), np.float32)
        )
    np.testing.assert_allclose(state[0], clean, atol=1e-6)


def test_noise_added_on_the_way_does_not_take_detail_away_again() -> None:
    """Ancestral steps fall below the next level before noise lifts them, and detail falls with them."""
    sigmas = levels(0.4, 0.01, 6)
    ancestral = [
        sampler_step.degradation
        for sampler_step in sampler_steps(Sampler.EULER_ANCESTRAL, sigmas, 1.0)
    ]
    plain = [sampler_step.degradation for sampler_step in sampler_steps(Sampler.EULER, sigmas, 1.0)]
    assert all(less < more for less, more in zip(ancestral[1:], plain[1:], strict=True))


@pytest.mark.parametrize("sampler", Sampler)
def test_the_last_step_may_be_given_a_larger_degradation(sampler: Sampler) -> None:
    sigmas = levels(0.4, 0.01, 6)
    plain, lagging = (
        sampler_steps(sampler, sigmas, 0.8),
        sampler_steps(sampler, sigmas, 0.8, final_degradation=0.5),
    )
    assert [one.degradation for one in lagging[:-1]] == [one.degradation for one in plain[:-1]]
    assert lagging[-1].degradation == 0.4
    assert sampler_steps(sampler, sigmas, 0.0, final_degradation=0.5)[-1].degradation == 0
