"""How each kind of network is trained: its patches, its losses, and how its progress is measured."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from training.losses import FLAT_SIDE, luma_of, restoration_loss
from training.materials import MATERIALS
from training.measures import roughness, specks, top_octave
from training.networks import SIGMA_DATA
from training.pairs import Pictures, degrade
from training.recipes import Recipe
from training.texturestatistics import (
    LUMA,
    STATISTICS,
    measure_materials,
    texture_statistics,
)

Batch = tuple[Tensor, ...]
Estimate = Callable[[Tensor, Tensor, Tensor, Tensor, Tensor], Tensor]
"""A refiner's estimate, from a noisy picture, its source, noise levels, words and what is missing."""
SOFTENING = 4.0
"""Blur in px that takes the structure away at hold 0; the card says the same."""
WORDLESS_SHARE = 0.2
"""Share of the patches that are shown without their words, which classifier-free guidance needs."""
MIN_BLUR = 0.1
"""Blurs below this, in px, change nothing."""
SHARE_COMPLETE, SHARE_BARE = 0.2, 0.35
"""Shares of the patches that lack nothing, and that lack all that enlarging lost; the rest lack a part of
it. The part is independent of the noise, although both fall along a pass: the last evaluation is told that
more is missing than its noise implies (the lag), and words have most effect there. Refiners that were
trained with both tied together ignored words."""
FLAT_UP_TO = (0.8, 1.6)
"""Deviations of luma, in 8-bit levels, up to which a place is flat, and from which it is not."""
BANK_SHARE = 0.45
"""Share of the patches whose source was enlarged by an upscaler, from the bank of pairs."""
SIGMA_MIN, RHO = 0.03, 5.0
"""Lowest noise level of a pass, and how its levels are spread; the card says the same."""
STRENGTH_MAP = ((0.0, 0.035), (0.15, 0.05), (0.3, 0.08), (0.5, 0.25), (1.0, 0.8))
"""Denoising strength and the noise level that a pass starts from at it. Where structure is held, more noise
than the last changes nothing, because the network looks at the structure instead."""
PASS_SIGMAS = ((0.04, 1.0), (0.15, 1.0))
"""Ranges of noise levels that passes start from, each for half of the passes: the second is where edges begin
to fray."""
LEAST_SOFTENING = 0.5
"""Patches that teach words have their structure softened by at least this share, squared, of `SOFTENING`."""
BORROWED_SHARE = 0.5
"""Share of the patches that teach words which are given the word of another material, as an artist may do."""
LEAD_PER_GUIDANCE = 0.4
"""How far such a word moves a patch's statistics towards its material's, for each 1 of guidance; at most all
the way."""
GUIDED = (1.0, 4.0)
"""Guidance scales of passes with a borrowed word. Without such passes, words of rough materials added three
times too much detail at a scale of 3."""
BORROWED_SIGMA_MIN = 0.25
"""Lowest noise level that a pass with a borrowed word starts from: below it words change nothing."""
BORROWED_WEIGHT = 1.0
EVALUATIONS_WITH_GRADIENT = 3
"""Evaluations at the end of a pass that have gradients."""
PLAIN = (cv2.INTER_LANCZOS4, cv2.INTER_LANCZOS4, cv2.INTER_CUBIC)
"""Kinds of plain interpolation, chosen at random; mostly Lanczos, as the engine does without an upscaler."""
MEASURED_SIGMAS = (0.08, 0.25, 0.55)
"""Noise levels that measured passes start from: strengths of 0.3, 0.5 and 0.77."""
MEASURED_STEPS = 8
JUDGED_LEVELS = ((0.1, 0.0), (0.4, 0.0), (0.25, 1.0), (0.1, 0.5))
"""Noise levels and shares of missing detail at which a refiner's single estimates are measured."""


class Lesson(Protocol):
    """How one kind of network is trained."""

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]: ...

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        """Estimate, its enlarged source, and a weight that makes errors comparable."""
        ...

    def judge(self, network: nn.Module, batch: Batch) -> float:
        """PSNR of the estimate above that of its source, in dB."""
        ...


@dataclass(frozen=True)
class PassResult:
    """Results of whole passes: last estimates, enlarged sources, targets, and the words."""

    guess: Tensor
    start: Tensor
    wanted: Tensor
    words: Tensor
    leads: Tensor
    guidance: Tensor

    @property
    def own(self) -> Tensor:
        """Which patches have their own words, so that their truth is known."""
        return ~has_borrowed_word(self.leads)


class UpscalerLesson:
    """Trains an upscaler on small patches and the sharp ones they were made from."""

    def __init__(self, recipe: Recipe, pictures: Pictures) -> None:
        self.recipe = recipe
        self.pictures = pictures
        (self.degradation,) = recipe.degradations

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Small and sharp patches, (count, 3, side, side) float32 in 0…1 each."""
        side = round(self.recipe.patch * self.degradation.factor)
        sharps = [self.pictures.patch(side, rng)[0] for _ in range(count)]
        smalls = [degrade(sharp, self.degradation, rng) for sharp in sharps]
        return planes(smalls), planes(sharps)

    def plain(self, small: Tensor) -> Tensor:
        return functional.interpolate(
            small, scale_factor=self.degradation.factor, mode="bicubic", align_corners=False
        ).clamp(0, 1)

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        small, _ = batch
        # scaled to the width of −1…1, so that losses mean the same for upscalers and refiners
        return network(small) * 2, self.plain(small) * 2, torch.ones(len(small))

    def truth(self, batch: Batch) -> Tensor:
        return batch[1] * 2

    def judge(self, network: nn.Module, batch: Batch) -> float:
        small, sharp = batch
        guesses = torch.cat([network(part) for part in small.split(16)]).clamp(0, 1)
        return psnr_y(guesses, sharp) - psnr_y(self.plain(small), sharp)

    @staticmethod
    def words(batch: Batch) -> None:
        return None


class RefinerLesson:
    """Trains a refiner on sharp patches, their enlarged sources, noise and words.

    A patch lacks a share of the detail that enlarging lost, as at the start of a pass. The source is softened
    at random (conditioning augmentation), as hold below 1 does, and words are left out at random, for
    classifier-free guidance.
    """

    def __init__(self, recipe: Recipe, pictures: Pictures, bank: Pictures) -> None:
        self.recipe = recipe
        self.pictures = pictures
        self.bank = bank
        self.materials, self.spread = (
            measure_materials(pictures.named, recipe.patch)
            if recipe.word_share
            else ({}, torch.ones(STATISTICS))
        )

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Sharp patches, conditions and enlarged sources in −1…1, words, noise levels, what is missing, and
        the statistics that a borrowed word leads to, NaN where the words are the patch's own."""
        wordy = rng.random(count) < self.recipe.word_share
        borrowed = wordy & (rng.random(count) < BORROWED_SHARE)
        triples = [self._example(rng, named=named) for named in wordy]
        sharps, starts = [one for one, _, _ in triples], [one for _, one, _ in triples]
        blurs = [
            SOFTENING * rng.uniform(LEAST_SOFTENING, 1) ** 2 if loose
            else SOFTENING * rng.random() ** 2 * (rng.random() > self.recipe.held_share)
            for loose in wordy
        ]  # fmt: skip
        conditions = [
            cv2.GaussianBlur(start, (0, 0), blur) if blur > MIN_BLUR else start
            for start, blur in zip(starts, blurs, strict=True)
        ]
        words = np.stack([word for _, _, word in triples])
        words[rng.random(count) < WORDLESS_SHARE] = 0
        leads = np.full((count, STATISTICS), np.nan, np.float32)
        known = list(self.materials)
        for place in np.flatnonzero(borrowed):
            word = known[rng.integers(len(known))]
            words[place] = np.eye(len(MATERIALS), dtype=np.float32)[word]
            leads[place] = self.materials[word]
        # the softer the structure, the higher the noise levels at which it is decided
        sigma = np.exp(rng.normal(-2.0 + 0.35 * np.array(blurs), 1.1)).clip(0.005, 1.5)
        drawn = rng.random(count)
        missing = np.where(drawn < SHARE_COMPLETE, 0, rng.random(count))
        missing = np.where((drawn > 1 - SHARE_BARE) | borrowed, 1, missing)
        return (
            planes(sharps) * 2 - 1, planes(conditions) * 2 - 1, planes(starts) * 2 - 1, words,
            sigma.astype(np.float32), missing.astype(np.float32), leads,
        )  # fmt: skip

    def _example(
        self, rng: np.random.Generator, *, named: bool = False
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """A sharp patch, the same reduced and enlarged again, and its words."""
        side = self.recipe.patch
        if not named and rng.random() < BANK_SHARE:
            (sharp, start), words = self.bank.patch(side, rng)
        else:
            sharp, words = self.pictures.patch(side, rng, named=named)
            sharp = shift_colours(sharp, rng) if named else sharp
            degradation = self.recipe.degradations[rng.integers(len(self.recipe.degradations))]
            how = PLAIN[rng.integers(len(PLAIN))]
            start = cv2.resize(degrade(sharp, degradation, rng), (side, side), interpolation=how)
        return remove_grain_in_flats(sharp, start), start, words

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        sharp, cond, start, words, sigma, missing, leads = batch
        lacking = wide(missing) * (start - sharp)
        noisy = sharp + lacking + wide(sigma) * torch.randn_like(sharp)
        variance = sigma**2 + (missing * SIGMA_DATA) ** 2
        weight = (variance + SIGMA_DATA**2) / (variance * SIGMA_DATA**2)
        return network(noisy, cond, sigma, words, missing), cond, weight * ~has_borrowed_word(leads)

    def truth(self, batch: Batch) -> Tensor:
        return batch[0]

    def run_pass(self, network: nn.Module, batch: Batch) -> PassResult:
        """A pass from a random noise level, for some patches with a borrowed word."""
        leads = batch[-1]
        led = has_borrowed_word(leads)
        guidance = torch.empty(len(leads)).uniform_(*GUIDED)
        lowest, highest = PASS_SIGMAS[int(torch.randint(len(PASS_SIGMAS), ()))]
        first = torch.empty(len(leads)).uniform_(math.log(lowest), math.log(highest)).exp()
        first = torch.where(led, first.clamp_min(BORROWED_SIGMA_MIN), first)
        guess, start, wanted = self.rolled(
            guided(network, led, guidance), batch, first, int(torch.randint(4, 9, ())),
            interpolate_lag(first, self.recipe.taught_lag),
        )  # fmt: skip
        return PassResult(guess, start, wanted, batch[3], leads, guidance)

    def pass_loss(self, passed: PassResult) -> Tensor:
        """The loss at the end of a pass: distance from the truth, or from a borrowed word's statistics."""
        own, led = passed.own, ~passed.own
        loss = torch.zeros(())
        if own.any():
            loss = restoration_loss(
                passed.guess[own], passed.start[own], passed.wanted[own], self.recipe.detail_weight
            )
        if led.any():
            kept = texture_statistics(passed.wanted[led])
            far = (LEAD_PER_GUIDANCE * passed.guidance[led, None]).clamp_max(1)
            away = texture_statistics(passed.guess[led]) - (kept + far * (passed.leads[led] - kept))
            loss = loss + BORROWED_WEIGHT * (away.abs() / self.spread).mean()
        return loss

    @staticmethod
    def rolled(
        network: Estimate, batch: Batch, first: Tensor, steps: int, lag: Tensor
    ) -> tuple[Tensor, Tensor, Tensor]:
        """The last estimate of a pass, its enlarged source, and its target.

        A pass as the engine runs it (DPM++ 2M, the last evaluations with gradient), so that the network is
        trained on its own earlier estimates and not only on true pictures with noise.

        Parameters
        ----------
        first : noise level that each picture's pass starts from.
        steps : evaluations.
        lag : share of the detail missing at first that the last evaluation is told is still missing.
        """
        sharp, cond, start, words, _, given, _ = batch
        levels = [
            (first ** (1 / RHO) * (1 - share) + SIGMA_MIN ** (1 / RHO) * share) ** RHO
            for share in torch.linspace(0, 1, steps)
        ]
        x = start + wide(first) * torch.randn_like(start)
        last: Tensor | None = None
        for place, (sigma, following) in enumerate(zip(levels, levels[1:], strict=False)):
            with torch.set_grad_enabled(place >= steps - EVALUATIONS_WITH_GRADIENT):
                estimate = network(x, cond, sigma, words, given * sigma / first)
                target = estimate
                if last is not None:
                    ratio = (levels[place - 1] / sigma).log() / (sigma / following).log()
                    target = estimate + (estimate - last) * wide(1 / (2 * ratio))
                x = target + (x - target) * wide(following / sigma)
                last = estimate
        left = given * torch.maximum(levels[-1] / first, lag)
        guess = network(x, cond, levels[-1], words, left)
        return guess, start, start + wide(given) * (sharp - start)

    def judge(self, network: nn.Module, batch: Batch) -> float:
        own = ~has_borrowed_word(batch[-1])
        sharp, cond, start, words = (part[own] for part in batch[:4])
        noise = torch.randn(sharp.shape, generator=torch.Generator().manual_seed(11))
        gains = []
        for level, lack in JUDGED_LEVELS:
            sigma, missing = (torch.full((len(sharp),), value) for value in (level, lack))
            noisy = sharp + lack * (start - sharp) + level * noise
            parts = zip(
                *(whole.split(16) for whole in (noisy, cond, sigma, words, missing)), strict=True
            )
            guesses = torch.cat([network(*part) for part in parts])
            gains.append(psnr_y(guesses / 2, sharp / 2) - psnr_y(cond / 2, sharp / 2))
        return float(np.mean(gains))

    def measures(self, network: nn.Module, pairs: Batch) -> list[float]:
        """Roughness along edges, specks and fine detail of whole passes, each relative to the truth's, at
        every noise level of `MEASURED_SIGMAS` in turn; medians over pictures.

        Parameters
        ----------
        pairs : sharp pictures and enlarged sources, in −1…1.
        """
        sharp, start = pairs
        found = []
        for number, level in enumerate(MEASURED_SIGMAS):
            torch.manual_seed(100 + number)
            first = torch.full((len(sharp),), level)
            lag = interpolate_lag(first, self.knots)
            words, given = torch.zeros(len(sharp), len(MATERIALS)), torch.ones(len(sharp))
            rows = []
            for part in torch.arange(len(sharp)).split(8):
                batch = (
                    sharp[part], start[part], start[part], words[part], first[part], given[part],
                    torch.full((len(part), STATISTICS), torch.nan),
                )  # fmt: skip
                guess, _, _ = self.rolled(network, batch, first[part], MEASURED_STEPS, lag[part])
                results, truths = (
                    (luma_of(one)[:, 0].double().numpy() + 1) / 2 for one in (guess, sharp[part])
                )
                rows += [
                    (
                        roughness(one, truth),
                        specks(one, truth),
                        top_octave(one) / max(top_octave(truth), 1e-9),
                    )
                    for one, truth in zip(results, truths, strict=True)
                ]
            found += list(np.nanmedian(rows, axis=0))
        return [float(value) for value in found]

    @property
    def knots(self) -> list[tuple[float, float]]:
        """The lag of the model as it ships, by noise level."""
        strengths, levels = np.array(STRENGTH_MAP).T
        return [
            (float(np.interp(strength, strengths, levels)), lag)
            for strength, lag in self.recipe.lag
        ]

    @staticmethod
    def words(batch: Batch) -> Tensor:
        return batch[3]


def guided(network: nn.Module, led: Tensor, guidance: Tensor) -> Estimate:
    """The network with classifier-free guidance for some patches (Ho and Salimans, 2022).

    The estimate without words has no gradient: otherwise the network learns to make it worse, and high
    strengths without words lose detail.
    """

    def estimate(x: Tensor, cond: Tensor, sigma: Tensor, words: Tensor, missing: Tensor) -> Tensor:
        with_words = network(x, cond, sigma, words, missing)
        if not led.any():
            return with_words
        given = (whole[led] for whole in (x, cond, sigma, torch.zeros_like(words), missing))
        with torch.no_grad():
            plain = network(*given)
        moved = torch.zeros_like(with_words)
        moved[led] = wide(guidance[led] - 1) * (with_words[led] - plain)
        return with_words + moved

    return estimate


def has_borrowed_word(leads: Tensor) -> Tensor:
    """Which patches have the word of another material, (n) bool."""
    return ~leads[:, 0].isnan()


def interpolate_lag(sigma: Tensor, knots: Sequence[tuple[float, float]]) -> Tensor:
    """The lag of passes that start from these noise levels."""
    levels, lags = np.array(knots).T
    found = np.interp(sigma.log().numpy(), np.log(levels), lags)
    return torch.from_numpy(found.astype(np.float32))


def wide(values: Tensor) -> Tensor:
    """A value for each picture, spread over its pixels."""
    return values.view(-1, 1, 1, 1)


def remove_grain_in_flats(sharp: np.ndarray, start: np.ndarray) -> np.ndarray:
    """The sharp patch with the enlarged source in its flat areas, (height, width, 3) float32.

    In flat sky and paper a photograph holds only its camera's noise, which a refiner must not learn to add.
    """
    grey = cv2.cvtColor(start, cv2.COLOR_RGB2GRAY).astype(np.float32)
    mean, square = (cv2.blur(values, (FLAT_SIDE, FLAT_SIDE)) for values in (grey, grey**2))
    deviation = np.sqrt(np.maximum(square - mean**2, 0))
    low, high = FLAT_UP_TO
    flat = np.clip((high - deviation) / (high - low), 0, 1)
    flat = cv2.GaussianBlur(flat, (0, 0), 2.0)[..., None]
    return sharp + flat * (start.astype(np.float32) - sharp)


def shift_colours(sharp: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A patch in other colours, uint8 both: channels exchanged, less saturated, each lightened or darkened.

    If brown always means wood, the word teaches nothing; and a word has to work on any colours.
    """
    picture = sharp[..., rng.permutation(3)].astype(np.float32) / 255
    grey = picture.mean(axis=2, keepdims=True)
    picture = grey + rng.random() * (picture - grey)
    gamma = np.exp(rng.normal(0, 0.35) + rng.normal(0, 0.15, 3))
    return np.rint(255 * picture ** gamma.astype(np.float32)).astype(np.uint8)


def planes(patches: list[np.ndarray]) -> np.ndarray:
    """(count, 3, side, side) float32 in 0…1 of patches in 0…255."""
    stacked = np.stack(patches).transpose(0, 3, 1, 2)
    return np.ascontiguousarray(stacked).astype(np.float32) / 255


def psnr_y(one: Tensor, other: Tensor) -> float:
    """Mean PSNR of luma over patches, in dB, white being 1 above black; above 50 dB all counts as 50."""
    error = (((one - other) * LUMA.view(1, 3, 1, 1)).sum(1) ** 2).mean((1, 2)).clamp_min(1e-5)
    return float((-10 * torch.log10(error)).mean())
