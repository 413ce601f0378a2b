"""What the losses of training ask for, on pictures whose degradations are known."""

import math

import numpy as np
import pytest
import torch

from training.lessons import RHO, SIGMA_MIN, STRENGTH_MAP, RefinerLesson, interpolate_lag
from training.losses import (
    critic_loss,
    detail_energy_loss,
    edge_gradient_loss,
    find_edges,
    restoration_loss,
    roughness_loss,
    speck_loss,
)
from training.measures import roughness, specks

SIDE = 64


def picture(values: np.ndarray) -> torch.Tensor:
    """Three equal channels in −1…1 of luma in 0…1."""
    plane = torch.from_numpy(values.astype(np.float32)) * 2 - 1
    return plane.expand(1, 3, -1, -1).contiguous()


@pytest.fixture(scope="module")
def edge() -> np.ndarray:
    """A slanted soft edge."""
    y, x = np.mgrid[:SIDE, :SIDE].astype(float)
    return 0.3 + 0.4 / (1 + np.exp(-(x + 0.3 * y - 42) / 1.2))


def fray(edge: np.ndarray) -> np.ndarray:
    """The same edge, moved to and fro by a pixel from row to row."""
    moved = np.array([np.roll(row, (number % 2) * 2 - 1) for number, row in enumerate(edge)])
    return np.where(np.abs(edge - 0.5) < 0.19, moved, edge)


def pepper(values: np.ndarray) -> np.ndarray:
    spoiled = values.copy()
    spoiled[8::16, 8::16] -= 0.2
    return spoiled


def rough(seed: int) -> np.ndarray:
    return 0.5 + np.random.default_rng(seed).normal(0, 0.06, (SIDE, SIDE))


def test_edges_are_found_where_they_are_and_nowhere_in_noise(edge: np.ndarray) -> None:
    found, cos, sin = find_edges(picture(edge))
    on_it = np.abs(edge - 0.5) < 0.05
    assert float(found[0, 0][torch.from_numpy(on_it)].mean()) > 0.9
    assert float(found[0, 0, 40:, :8].max()) < 0.05
    across = torch.atan2(sin, cos)[0, 0][torch.from_numpy(on_it)].mean()
    assert float(across) == pytest.approx(math.atan(0.3), abs=0.05)
    assert float(find_edges(picture(rough(1)))[0].mean()) < 0.15


def test_a_frayed_edge_costs_and_the_edge_itself_does_not(edge: np.ndarray) -> None:
    truth, spoiled = picture(edge), picture(fray(edge))
    edges = find_edges(truth)
    assert float(edge_gradient_loss(truth, truth, edges)) == 0
    assert float(roughness_loss(truth, truth, edges)) == 0
    assert float(edge_gradient_loss(spoiled, truth, edges)) > 0.001
    assert float(roughness_loss(spoiled, truth, edges)) > 0.3
    # what is measured agrees with what is asked for
    assert roughness(fray(edge), edge) > 1.5


def test_a_smoother_edge_than_the_truths_is_no_rougher(edge: np.ndarray) -> None:
    truth, smooth = picture(fray(edge)), picture(edge)
    assert float(roughness_loss(smooth, truth, find_edges(smooth))) == 0


def test_pepper_costs_and_a_grain_that_the_truth_has_does_not(edge: np.ndarray) -> None:
    plain, spoiled = picture(edge), picture(pepper(edge))
    assert float(speck_loss(plain, plain)) == 0
    assert float(speck_loss(spoiled, plain)) > 0.0005
    assert float(speck_loss(picture(rough(2)), picture(rough(3)))) < 0.2 * float(
        speck_loss(picture(rough(2)), plain)
    )
    assert specks(pepper(edge), edge) > 2


def test_detail_is_asked_for_in_amount_and_not_in_place_nor_along_edges(edge: np.ndarray) -> None:
    none = torch.zeros(1, 1, SIDE, SIDE)
    same, other, flat = picture(rough(4)), picture(rough(5)), picture(np.full((SIDE, SIDE), 0.5))
    assert float(detail_energy_loss(other, same, none)) < 0.2 * float(
        detail_energy_loss(flat, same, none)
    )
    twice = picture(0.5 + 2 * (rough(4) - 0.5))
    assert float(detail_energy_loss(twice, same, none)) == pytest.approx(math.log(4), rel=0.1)
    assert float(detail_energy_loss(flat, same, torch.ones_like(none))) == 0


def test_a_whole_passes_loss_is_least_at_the_truth(edge: np.ndarray) -> None:
    truth, source = picture(edge), picture(np.clip(edge + 0.01, 0, 1))
    best = float(restoration_loss(truth, source, truth, 1.5))
    for spoiled in (fray(edge), pepper(edge), np.clip(edge + 0.05, 0, 1), np.roll(edge, 2, 1)):
        assert float(restoration_loss(picture(spoiled), source, truth, 1.5)) > best + 0.01


def test_losses_have_gradients_everywhere(edge: np.ndarray) -> None:
    """Also where the guess is the truth, bit for bit: no root or logarithm of nothing."""
    for start in (edge, np.full((SIDE, SIDE), 0.5)):
        guess = picture(start).requires_grad_()
        restoration_loss(guess, picture(start), picture(start), 1.5).backward()  # type: ignore[no-untyped-call]
        assert guess.grad is not None
        assert torch.isfinite(guess.grad).all()


def test_a_critic_is_asked_only_which_is_truer() -> None:
    above, below = torch.full((2, 1, 4, 4), 3.0), torch.full((2, 1, 4, 4), -1.0)
    assert float(critic_loss(above, below)) == 0
    assert float(critic_loss(below, above)) == 5
    assert float(critic_loss(below, below)) == 1


def test_the_lag_is_interpolated_between_its_knots() -> None:
    knots = [(0.08, 0.2), (0.25, 0.6)]
    found = interpolate_lag(torch.tensor([0.01, 0.08, math.sqrt(0.08 * 0.25), 0.25, 1.0]), knots)
    np.testing.assert_allclose(found.numpy(), [0.2, 0.2, 0.4, 0.6, 0.6], atol=1e-5)


def test_a_rolled_pass_ends_at_the_truth_with_a_network_that_knows_it() -> None:
    """The sampler adds nothing of its own, and levels fall from the first to the least there is."""
    truth, start = torch.rand(2, 3, 16, 16) * 2 - 1, torch.zeros(2, 3, 16, 16)
    seen: list[tuple[float, float]] = []

    def knows(x: torch.Tensor, cond: torch.Tensor, sigma: torch.Tensor, words: torch.Tensor,
              missing: torch.Tensor) -> torch.Tensor:  # fmt: skip
        seen.append((float(sigma[0]), float(missing[0])))
        return truth

    first = torch.full((2,), 0.4)
    batch = (truth, start, start, torch.zeros(2, 1), first, torch.ones(2), torch.ones(2, 1))
    guess, source, wanted = RefinerLesson.rolled(knows, batch, first, 5, torch.full((2,), 0.3))
    assert torch.equal(guess, truth)
    assert torch.equal(source, start)
    torch.testing.assert_close(wanted, truth)
    sigmas = [sigma for sigma, _ in seen]
    assert sigmas == sorted(sigmas, reverse=True)
    assert sigmas[0] == pytest.approx(0.4)
    assert sigmas[-1] == pytest.approx(SIGMA_MIN, rel=1e-4)
    assert seen[-1][1] == pytest.approx(0.3)  # the last is told the lag
    third = (0.4 ** (1 / RHO) * 0.5 + SIGMA_MIN ** (1 / RHO) * 0.5) ** RHO
    assert sigmas[2] == pytest.approx(third, rel=1e-4)


def test_more_strength_starts_from_more_noise() -> None:
    strengths, levels = np.array(STRENGTH_MAP).T
    assert (np.diff(strengths) > 0).all()
    assert (np.diff(levels) > 0).all()
    assert levels[0] > SIGMA_MIN
