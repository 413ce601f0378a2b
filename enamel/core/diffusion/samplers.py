"""Samplers: how the estimates of the clean picture lead from noise to a picture.

A sampler is a fixed list of *evaluations*. Before each, the engine asks the network for the clean
estimate of the first field of the state at ``sigma``; `Evaluation.advance` then gives the next
state. Everything is per pixel, so that tiles, windows and whole pictures step alike, and what lies
between two evaluations is exactly the state that a checkpoint keeps.

σ is the standard deviation of the noise in x = clean + σ · noise; the estimate is written x₀ and
the derivative of the probability-flow ODE is dx/dσ = (x − x₀) / σ (Karras et al. 2022, eq. 3).

A pass starts from an enlarged picture, which lacks detail besides being re-noised: with a share m of it
missing, x = clean + m · (enlarged − clean) + σ · noise. Where m falls in proportion to σ, the whole of
x − clean does, so dx/dσ is still (x − x₀) / σ and the samplers need no change; each evaluation only says
its m. Noise that is added afresh raises σ but takes nothing away, so m then stays.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

from numpy import float32

from enamel.core.picture.canvas import FloatArray

State = tuple[FloatArray, ...]
NoiseSource = Callable[[int], FloatArray]
"""Gives the step's standard normal noise for the pixels at hand."""
Advance = Callable[[State, FloatArray, NoiseSource], State]
"""The arithmetic after an evaluation: from the state and the estimate to the next state."""


class Sampler(StrEnum):
    """How a pass steps from noise to picture."""

    EULER = "euler"
    EULER_ANCESTRAL = "euler-ancestral"
    HEUN = "heun"
    DPMPP_2M = "dpm++2m"

    @property
    def label(self) -> str:
        """What it is called."""
        return {Sampler.EULER: "Euler", Sampler.EULER_ANCESTRAL: "Euler ancestral",
                Sampler.HEUN: "Heun", Sampler.DPMPP_2M: "DPM++ 2M"}[self]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Evaluation:
    """One call of the network and the arithmetic after it."""

    step: int
    sigma: float
    missing: float
    """Share of the lost detail that the state lacks here."""
    fields_in: int
    """How many arrays the state holds before; after the last evaluation it holds one."""
    fields_out: int
    advance: Advance


def evaluations(
    sampler: Sampler, sigmas: list[float], missing: float = 0.0, lag: float = 0.0
) -> list[Evaluation]:
    """The evaluations that lead through noise levels, and give back what is missing on the way.

    Parameters
    ----------
    sigmas : noise levels, strictly falling, the last 0.
    missing : share, 0…1, of the lost detail that the picture lacks at the start.
    lag : least share of that, 0…1, which the last evaluation is told to lack still.
    """
    plan = {
        Sampler.EULER: _euler,
        Sampler.EULER_ANCESTRAL: _euler_ancestral,
        Sampler.HEUN: _heun,
        Sampler.DPMPP_2M: _dpmpp_2m,
    }[sampler]
    found = plan(sigmas, missing)
    found[-1] = replace(found[-1], missing=max(found[-1].missing, lag * missing))
    return found


def _left(missing: float, sigma: float, sigmas: list[float]) -> float:
    """What is still missing at σ, falling in proportion to it."""
    return missing * (sigma / sigmas[0])


def _toward(x: FloatArray, estimate: FloatArray, sigma: float, following: float) -> FloatArray:
    """Euler's step of the ODE from σ to ``following``: x + (σ' − σ) · (x − x₀) / σ."""
    if following == 0:
        return estimate
    return estimate + (x - estimate) * float32(following / sigma)


def _euler(sigmas: list[float], missing: float) -> list[Evaluation]:
    def step(number: int, sigma: float, following: float) -> Evaluation:
        def advance(state: State, estimate: FloatArray, noise: NoiseSource) -> State:
            return (_toward(state[0], estimate, sigma, following),)

        return Evaluation(number, sigma, _left(missing, sigma, sigmas), 1, 1, advance)

    return [step(i, s, f) for i, (s, f) in enumerate(zip(sigmas, sigmas[1:], strict=False))]


def _euler_ancestral(sigmas: list[float], missing: float) -> list[Evaluation]:
    """Each step falls below the next level and is brought back up to it by fresh noise.

    σ_up² = σ'² (σ² − σ'²) / σ², σ_down² = σ'² − σ_up²: the variance of the DDPM posterior (Ho et
    al., "Denoising diffusion probabilistic models", 2020, eq. 7) in terms of σ.
    """

    plan: list[Evaluation] = []
    for number, (sigma, following) in enumerate(zip(sigmas, sigmas[1:], strict=False)):
        up = following * math.sqrt(max(0.0, 1 - (following / sigma) ** 2))
        down = math.sqrt(max(0.0, following**2 - up**2))
        advance = _ancestral_step(number, sigma, down, up)
        plan.append(Evaluation(number, sigma, missing, 1, 1, advance))
        missing *= down / sigma
    return plan


def _ancestral_step(number: int, sigma: float, down: float, up: float) -> Advance:
    """From σ down to ``down``, then noise of ``up`` on top."""

    def advance(state: State, estimate: FloatArray, noise: NoiseSource) -> State:
        x = _toward(state[0], estimate, sigma, down)
        return (x + noise(number) * float32(up),) if up > 0 else (x,)

    return advance


def _heun(sigmas: list[float], missing: float) -> list[Evaluation]:
    """Euler's step, then a second evaluation at its end; the mean of both slopes is taken.

    Karras et al. 2022, algorithm 1 without churn. The step to 0 is Euler's. Between the two
    evaluations the state is (x at the trial end, x at the start + half the first slope).
    """

    def trial(number: int, sigma: float, following: float) -> Evaluation:
        def advance(state: State, estimate: FloatArray, noise: NoiseSource) -> State:
            change = (state[0] - estimate) * float32((following - sigma) / sigma)
            return state[0] + change, state[0] + change * float32(0.5)

        return Evaluation(number, sigma, _left(missing, sigma, sigmas), 1, 2, advance)

    def correction(number: int, sigma: float, following: float) -> Evaluation:
        def advance(state: State, estimate: FloatArray, noise: NoiseSource) -> State:
            slope = (state[0] - estimate) * float32(0.5 * (following - sigma) / following)
            return (state[1] + slope,)

        return Evaluation(number, following, _left(missing, following, sigmas), 2, 1, advance)

    def last(number: int, sigma: float) -> Evaluation:
        left = _left(missing, sigma, sigmas)
        return Evaluation(number, sigma, left, 1, 1, lambda state, estimate, noise: (estimate,))

    plan: list[Evaluation] = []
    for number, (sigma, following) in enumerate(zip(sigmas, sigmas[1:], strict=False)):
        if following > 0:
            plan += [trial(number, sigma, following), correction(number, sigma, following)]
        else:
            plan.append(last(number, sigma))
    return plan


def _dpmpp_2m(sigmas: list[float], missing: float) -> list[Evaluation]:
    """Second-order multistep in λ = −ln σ from this estimate and the last.

    Lu et al., "DPM-Solver++", 2022, algorithm 2, for the variance-exploding form: with
    h = λ' − λ and r the ratio of the last step's h to this one's, D = (1 + 1/2r) x₀ − 1/2r x₀_last
    and x' = (σ'/σ) x − (e^−h − 1) D.
    """

    def step(number: int, before: float | None, sigma: float, following: float) -> Evaluation:
        last = following == 0
        extrapolation = 0.0
        if before is not None and not last:
            ratio = math.log(before / sigma) / math.log(sigma / following)
            extrapolation = 1 / (2 * ratio)

        def advance(state: State, estimate: FloatArray, noise: NoiseSource) -> State:
            if last:
                return (estimate,)
            target = estimate
            if extrapolation:
                target = estimate + (estimate - state[1]) * float32(extrapolation)
            return target + (state[0] - target) * float32(following / sigma), estimate

        fields_in, fields_out = 1 if before is None else 2, 1 if last else 2
        return Evaluation(
            number, sigma, _left(missing, sigma, sigmas), fields_in, fields_out, advance
        )

    triples = zip([None, *sigmas], sigmas, sigmas[1:], strict=False)
    return [step(i, b, s, f) for i, (b, s, f) in enumerate(triples)]
