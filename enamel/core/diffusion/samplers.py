"""Samplers: step from noise to a picture by the network's denoised predictions.

A sampler is a fixed list of `SamplerStep`. Before each, the engine asks the network for the denoised
picture of the state's first field at ``sigma``; `SamplerStep.step` then returns the next state.
Everything is per pixel, so that tiles, windows and whole pictures step alike, and what lies between two
steps is exactly the state that is stored on disk.

σ is the standard deviation of the noise in x = clean + σ · noise; the denoised picture is written x₀ and
the derivative of the probability-flow ODE is dx/dσ = (x − x₀) / σ (Karras et al. 2022, eq. 3).

A pass starts from an enlarged picture, which lacks detail besides being re-noised: with a fraction m of it
missing, x = clean + m · (enlarged − clean) + σ · noise. Where m falls in proportion to σ, the whole of
x − clean does, so dx/dσ is still (x − x₀) / σ and the samplers need no change; each step only carries
its m. Noise that is added afresh raises σ but takes nothing away, so m then stays.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

from numpy import float32

from enamel.core.imaging.canvas import FloatArray

State = tuple[FloatArray, ...]
NoiseSource = Callable[[int], FloatArray]
"""Gives the step's standard normal noise for the current pixels."""
StepFunction = Callable[[State, FloatArray, NoiseSource], State]
"""The arithmetic after the network: from the state and the denoised picture to the next state."""


class Sampler(StrEnum):
    """How a pass steps from noise to picture."""

    EULER = "euler"
    EULER_ANCESTRAL = "euler-ancestral"
    HEUN = "heun"
    DPMPP_2M = "dpm++2m"

    @property
    def label(self) -> str:
        """Its name on pages."""
        return {Sampler.EULER: "Euler", Sampler.EULER_ANCESTRAL: "Euler ancestral",
                Sampler.HEUN: "Heun", Sampler.DPMPP_2M: "DPM++ 2M"}[self]  # fmt: skip


@dataclass(frozen=True, slots=True)
class SamplerStep:
    """One evaluation of the network, and the arithmetic after it."""

    number: int
    """Number of the step, which its fresh noise is drawn for; Heun's two have the same."""
    sigma: float
    degradation: float
    """Fraction of the lost detail that is missing in the state."""
    fields_in: int
    """Number of fields of the state before the step; after the last step it has one."""
    fields_out: int
    step: StepFunction


def sampler_steps(
    sampler: Sampler, sigmas: list[float], degradation: float = 0.0, final_degradation: float = 0.0
) -> list[SamplerStep]:
    """Return the steps that lead through noise levels and restore the missing detail on the way.

    Parameters
    ----------
    sigmas : noise levels, strictly falling, the last 0.
    degradation : fraction, 0…1, of the lost detail that the picture lacks at the start.
    final_degradation : least fraction of that, 0…1, which the last step is given as still missing.
    """
    plan = {
        Sampler.EULER: _euler,
        Sampler.EULER_ANCESTRAL: _euler_ancestral,
        Sampler.HEUN: _heun,
        Sampler.DPMPP_2M: _dpmpp_2m,
    }[sampler]
    found = plan(sigmas, degradation)
    found[-1] = replace(
        found[-1], degradation=max(found[-1].degradation, final_degradation * degradation)
    )
    return found


def _left(degradation: float, sigma: float, sigmas: list[float]) -> float:
    """Return the fraction still missing at σ, in proportion to σ."""
    return degradation * (sigma / sigmas[0])


def _toward(x: FloatArray, denoised: FloatArray, sigma: float, following: float) -> FloatArray:
    """Euler's step of the ODE from σ to ``following``: x + (σ' − σ) · (x − x₀) / σ."""
    if following == 0:
        return denoised
    return denoised + (x - denoised) * float32(following / sigma)


def _euler(sigmas: list[float], degradation: float) -> list[SamplerStep]:
    def build(number: int, sigma: float, following: float) -> SamplerStep:
        def step(state: State, denoised: FloatArray, noise: NoiseSource) -> State:
            return (_toward(state[0], denoised, sigma, following),)

        return SamplerStep(number, sigma, _left(degradation, sigma, sigmas), 1, 1, step)

    return [build(i, s, f) for i, (s, f) in enumerate(zip(sigmas, sigmas[1:], strict=False))]


def _euler_ancestral(sigmas: list[float], degradation: float) -> list[SamplerStep]:
    """Step below the next level, then add fresh noise up to it.

    σ_up² = σ'² (σ² − σ'²) / σ², σ_down² = σ'² − σ_up²: the variance of the DDPM posterior (Ho et
    al., "Denoising diffusion probabilistic models", 2020, eq. 7) in terms of σ.
    """

    plan: list[SamplerStep] = []
    for number, (sigma, following) in enumerate(zip(sigmas, sigmas[1:], strict=False)):
        up = following * math.sqrt(max(0.0, 1 - (following / sigma) ** 2))
        down = math.sqrt(max(0.0, following**2 - up**2))
        step = _ancestral_step(number, sigma, down, up)
        plan.append(SamplerStep(number, sigma, degradation, 1, 1, step))
        degradation *= down / sigma
    return plan


def _ancestral_step(number: int, sigma: float, down: float, up: float) -> StepFunction:
    """Return from σ down to ``down``, then noise of ``up`` on top."""

    def step(state: State, denoised: FloatArray, noise: NoiseSource) -> State:
        x = _toward(state[0], denoised, sigma, down)
        return (x + noise(number) * float32(up),) if up > 0 else (x,)

    return step


def _heun(sigmas: list[float], degradation: float) -> list[SamplerStep]:
    """Euler's step, then a second evaluation at its end; the mean of both slopes is taken.

    Karras et al. 2022, algorithm 1 without churn. The step to 0 is Euler's. Between the two
    evaluations the state is (x at the trial end, x at the start + half the first slope).
    """

    def trial(number: int, sigma: float, following: float) -> SamplerStep:
        def step(state: State, denoised: FloatArray, noise: NoiseSource) -> State:
            change = (state[0] - denoised) * float32((following - sigma) / sigma)
            return state[0] + change, state[0] + change * float32(0.5)

        return SamplerStep(number, sigma, _left(degradation, sigma, sigmas), 1, 2, step)

    def correction(number: int, sigma: float, following: float) -> SamplerStep:
        def step(state: State, denoised: FloatArray, noise: NoiseSource) -> State:
            slope = (state[0] - denoised) * float32(0.5 * (following - sigma) / following)
            return (state[1] + slope,)

        return SamplerStep(number, following, _left(degradation, following, sigmas), 2, 1, step)

    def last(number: int, sigma: float) -> SamplerStep:
        left = _left(degradation, sigma, sigmas)
        return SamplerStep(number, sigma, left, 1, 1, lambda state, denoised, noise: (denoised,))

    plan: list[SamplerStep] = []
    for number, (sigma, following) in enumerate(zip(sigmas, sigmas[1:], strict=False)):
        if following > 0:
            plan += [trial(number, sigma, following), correction(number, sigma, following)]
        else:
            plan.append(last(number, sigma))
    return plan


def _dpmpp_2m(sigmas: list[float], degradation: float) -> list[SamplerStep]:
    """Second-order multistep in λ = −ln σ from this denoised picture and the one before.

    Lu et al., "DPM-Solver++", 2022, algorithm 2, for the variance-exploding form: with
    h = λ' − λ and r the ratio of the last step's h to this one's, D = (1 + 1/2r) x₀ − 1/2r x₀_last
    and x' = (σ'/σ) x − (e^−h − 1) D.
    """

    def build(number: int, before: float | None, sigma: float, following: float) -> SamplerStep:
        last = following == 0
        extrapolation = 0.0
        if before is not None and not last:
            ratio = math.log(before / sigma) / math.log(sigma / following)
            extrapolation = 1 / (2 * ratio)

        def step(state: State, denoised: FloatArray, noise: NoiseSource) -> State:
            if last:
                return (denoised,)
            target = denoised
            if extrapolation:
                target = denoised + (denoised - state[1]) * float32(extrapolation)
            return target + (state[0] - target) * float32(following / sigma), denoised

        fields_in, fields_out = 1 if before is None else 2, 1 if last else 2
        return SamplerStep(
            number, sigma, _left(degradation, sigma, sigmas), fields_in, fields_out, step
        )

    triples = zip([None, *sigmas], sigmas, sigmas[1:], strict=False)
    return [build(i, b, s, f) for i, (b, s, f) in enumerate(triples)]
