"""What a training step teaches: patches, losses, and how far it has come."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from training.manner import LUMA, STATISTICS, blurred, manner, manners
from training.materials import MATERIALS
from training.measures import roughness, specks, top_octave
from training.networks import SIGMA_DATA
from training.pairs import Pictures, reduced
from training.recipes import Recipe

Batch = tuple[Tensor, ...]
Estimate = Callable[[Tensor, Tensor, Tensor, Tensor, Tensor], Tensor]
"""What a refiner says: of a noisy picture, its source, noise levels, words, what is missing."""
SOFTENING = 4.0
"""Blur in px that takes the structure away at hold 0; the card says the same."""
WORDLESS = 0.2
"""Share of the patches that are shown without their words, so that guidance has a place to stand."""
MIN_BLUR = 0.1
"""Blurs below this, in px, change nothing."""
ALL_THERE, ALL_GONE = 0.2, 0.35
"""Shares of the patches that lack nothing, and all that enlarging lost; the rest lack a share of it. It is
drawn apart from the noise, though along a pass it falls with it: the last evaluation is told that it lacks
more than its noise says (the lag), and there words lead to their material. Taught only what falls with the
noise, a refiner heard words and was led nowhere."""
FLAT_SIDE = 9
"""Side in px of the square whose deviation tells whether a place is flat."""
FLAT_UP_TO = (0.8, 1.6)
"""Deviations of luma, in 8-bit levels, up to which a place is flat, and from which it is not."""
FROM_BANK = 0.45
"""Share of the patches whose source was enlarged by an upscaler, from the bank of pairs."""
SIGMA_MIN, RHO = 0.03, 5.0
"""Lowest noise level of a pass, and how its levels are spread; the card says the same."""
STRENGTH_MAP = ((0.0, 0.035), (0.15, 0.05), (0.3, 0.08), (0.5, 0.25), (1.0, 0.8))
"""Denoising strength and the noise level that a pass starts from at it. Where structure is held, more noise
than the last changes nothing, because the network looks at the structure instead."""
ROLLED_FROM = ((0.04, 1.0), (0.15, 1.0))
"""Noise levels that passes start from, by chance from either: half of them where fraying sets in."""
HARDLY_HELD = 0.5
"""Words are taught where structure is softened by at least this share, squared, of `SOFTENING`."""
BORROWED = 0.5
"""Share of the patches chosen for words that are given another material's word: what an artist does."""
LED = 0.4
"""How far such a word leads from a patch's own statistics to its material's, for each 1 of guidance, at most
all the way."""
GUIDED = (1.0, 4.0)
"""Guidance scales of passes with a borrowed word. Unless they are learnt with it, words of rough materials
add detail to what has enough of it already, three times too much at 3."""
LED_FROM = 0.25
"""Lowest noise level that a pass with a borrowed word starts from: below it nothing is left to decide."""
LED_WEIGHT = 1.0
FOLLOWED = 3
"""Last evaluations of a pass that are learnt from; those before have no gradient."""
EDGE_WEIGHT = 4.0
"""Weight of the loss that asks for the truth's slopes along its edges."""
ROUGHNESS_WEIGHT = 1.0
LEAST_EDGE = 40.0
"""Edge in px that a patch needs for its roughness to count."""
SPECK_WEIGHT = 1.0
"""Weight of the loss on pixels that stand out of their neighbourhood further than the truth's do."""
COHERENT, STRONG = (0.7, 0.9), (4.0, 8.0)
"""Coherence of the structure tensor, and strength in 8-bit levels, over which a place becomes an edge."""
FAINT = 5e-5
"""Energy of fine detail, about a level in each channel, below which more or less of it is all one."""
PLAIN = (cv2.INTER_LANCZOS4, cv2.INTER_LANCZOS4, cv2.INTER_CUBIC)
"""Plain enlarging, by chance; mostly Lanczos, as the engine does when no upscaler is named."""
MEASURED_FROM = (0.08, 0.25, 0.55)
"""Noise levels that measured passes start from: strengths of 0.3, 0.5 and 0.77."""
MEASURED_STEPS = 8
JUDGED_AT = ((0.1, 0.0), (0.4, 0.0), (0.25, 1.0), (0.1, 0.5))
"""Noise levels, and what is missing at them, at which a refiner's plain estimate is judged."""


class Lesson(Protocol):
    """How one kind of network learns."""

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]: ...

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        """Estimate, what it was made from at its size, and a weight that makes errors comparable."""
        ...

    def judge(self, network: nn.Module, batch: Batch) -> float:
        """dB that the estimate is nearer to the sharp picture than what it was made from."""
        ...


@dataclass(frozen=True)
class Passed:
    """The end of whole passes: estimates, their sources, the detail they should give back, and the words."""

    guess: Tensor
    start: Tensor
    wanted: Tensor
    words: Tensor
    leads: Tensor
    guidance: Tensor

    @property
    def own(self) -> Tensor:
        """Which patches have words of their own, and so a truth."""
        return ~borrowing(self.leads)


class Enlarging:
    """An upscaler's: small patches and their sharp ones."""

    def __init__(self, recipe: Recipe, pictures: Pictures) -> None:
        self.recipe = recipe
        self.pictures = pictures
        (self.faults,) = recipe.faults

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Small and sharp patches, (count, 3, side, side) float32 in 0…1 each."""
        side = round(self.recipe.patch * self.faults.factor)
        sharps = [self.pictures.patch(side, rng)[0] for _ in range(count)]
        smalls = [reduced(sharp, self.faults, rng) for sharp in sharps]
        return planes(smalls), planes(sharps)

    def plain(self, small: Tensor) -> Tensor:
        return functional.interpolate(
            small, scale_factor=self.faults.factor, mode="bicubic", align_corners=False
        ).clamp(0, 1)

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        small, _ = batch
        # errors as large as in −1…1, so that all losses mean the same for both kinds
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


class Refining:
    """A refiner's: a sharp patch, what an enlarged source makes of it, noise, words.

    The patch is shown with a share of the detail that enlarging lost missing, as it is at the start of a
    pass. The source is softened at random, which is what hold below 1 does (condition augmentation),
    and words are left out at random, which is what guidance moves away from.
    """

    def __init__(self, recipe: Recipe, pictures: Pictures, bank: Pictures) -> None:
        self.recipe = recipe
        self.pictures = pictures
        self.bank = bank
        self.materials, self.spread = (
            manners(pictures.named, recipe.patch) if recipe.worded else ({}, torch.ones(STATISTICS))
        )

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Sharp patches, conditions and enlarged sources in −1…1, words, noise levels, what is missing, and
        the statistics that a borrowed word leads to, NaN where the words are the patch's own."""
        wordy = rng.random(count) < self.recipe.worded
        borrowed = wordy & (rng.random(count) < BORROWED)
        triples = [self._example(rng, named=named) for named in wordy]
        sharps, starts = [one for one, _, _ in triples], [one for _, one, _ in triples]
        blurs = [
            SOFTENING * rng.uniform(HARDLY_HELD, 1) ** 2 if loose
            else SOFTENING * rng.random() ** 2 * (rng.random() > self.recipe.held)
            for loose in wordy
        ]  # fmt: skip
        conditions = [
            cv2.GaussianBlur(start, (0, 0), blur) if blur > MIN_BLUR else start
            for start, blur in zip(starts, blurs, strict=True)
        ]
        words = np.stack([word for _, _, word in triples])
        words[rng.random(count) < WORDLESS] = 0
        leads = np.full((count, STATISTICS), np.nan, np.float32)
        known = list(self.materials)
        for place in np.flatnonzero(borrowed):
            word = known[rng.integers(len(known))]
            words[place] = np.eye(len(MATERIALS), dtype=np.float32)[word]
            leads[place] = self.materials[word]
        # the more structure is missing, the larger is the noise at which it is decided
        sigma = np.exp(rng.normal(-2.0 + 0.35 * np.array(blurs), 1.1)).clip(0.005, 1.5)
        drawn = rng.random(count)
        missing = np.where(drawn < ALL_THERE, 0, rng.random(count))
        missing = np.where((drawn > 1 - ALL_GONE) | borrowed, 1, missing)
        return (
            planes(sharps) * 2 - 1, planes(conditions) * 2 - 1, planes(starts) * 2 - 1, words,
            sigma.astype(np.float32), missing.astype(np.float32), leads,
        )  # fmt: skip

    def _example(
        self, rng: np.random.Generator, *, named: bool = False
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """A sharp patch, the same reduced and enlarged again, and its words."""
        side = self.recipe.patch
        if not named and rng.random() < FROM_BANK:
            (sharp, start), words = self.bank.patch(side, rng)
        else:
            sharp, words = self.pictures.patch(side, rng, named=named)
            sharp = recoloured(sharp, rng) if named else sharp
            faults = self.recipe.faults[rng.integers(len(self.recipe.faults))]
            how = PLAIN[rng.integers(len(PLAIN))]
            start = cv2.resize(reduced(sharp, faults, rng), (side, side), interpolation=how)
        return without_grain_in_flats(sharp, start), start, words

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        sharp, cond, start, words, sigma, missing, leads = batch
        lacking = wide(missing) * (start - sharp)
        noisy = sharp + lacking + wide(sigma) * torch.randn_like(sharp)
        variance = sigma**2 + (missing * SIGMA_DATA) ** 2
        weight = (variance + SIGMA_DATA**2) / (variance * SIGMA_DATA**2)
        return network(noisy, cond, sigma, words, missing), cond, weight * ~borrowing(leads)

    def truth(self, batch: Batch) -> Tensor:
        return batch[0]

    def whole_pass(self, network: nn.Module, batch: Batch) -> Passed:
        """A pass from a noise level by chance, for some patches towards a borrowed word."""
        leads = batch[-1]
        led = borrowing(leads)
        guidance = torch.empty(len(leads)).uniform_(*GUIDED)
        lowest, highest = ROLLED_FROM[int(torch.randint(len(ROLLED_FROM), ()))]
        first = torch.empty(len(leads)).uniform_(math.log(lowest), math.log(highest)).exp()
        first = torch.where(led, first.clamp_min(LED_FROM), first)
        guess, start, wanted = self.rolled(
            guided(network, led, guidance), batch, first, int(torch.randint(4, 9, ())),
            lag_at(first, self.recipe.taught_lag),
        )  # fmt: skip
        return Passed(guess, start, wanted, batch[3], leads, guidance)

    def end_of(self, passed: Passed) -> Tensor:
        """The loss at the end of a pass: to the truth, or to what a borrowed word says."""
        own, led = passed.own, ~passed.own
        loss = torch.zeros(())
        if own.any():
            loss = given_back(
                passed.guess[own], passed.start[own], passed.wanted[own], self.recipe.grain
            )
        if led.any():
            kept = manner(passed.wanted[led])
            far = (LED * passed.guidance[led, None]).clamp_max(1)
            away = manner(passed.guess[led]) - (kept + far * (passed.leads[led] - kept))
            loss = loss + LED_WEIGHT * (away.abs() / self.spread).mean()
        return loss

    @staticmethod
    def rolled(
        network: Estimate, batch: Batch, first: Tensor, steps: int, lag: Tensor
    ) -> tuple[Tensor, Tensor, Tensor]:
        """The end of a pass: its last estimate, its source, and the detail that it should give back.

        A pass as the engine runs it (DPM++ 2M, the last evaluations with gradient), so that the network
        meets its own earlier estimates instead of true pictures with noise.

        Parameters
        ----------
        first : noise level that each picture's pass starts from.
        steps : evaluations.
        lag : share of what was missing at first that the last evaluation is told is missing still.
        """
        sharp, cond, start, words, _, given, _ = batch
        levels = [
            (first ** (1 / RHO) * (1 - share) + SIGMA_MIN ** (1 / RHO) * share) ** RHO
            for share in torch.linspace(0, 1, steps)
        ]
        x = start + wide(first) * torch.randn_like(start)
        last: Tensor | None = None
        for place, (sigma, following) in enumerate(zip(levels, levels[1:], strict=False)):
            with torch.set_grad_enabled(place >= steps - FOLLOWED):
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
        own = ~borrowing(batch[-1])
        sharp, cond, start, words = (part[own] for part in batch[:4])
        noise = torch.randn(sharp.shape, generator=torch.Generator().manual_seed(11))
        gains = []
        for level, lack in JUDGED_AT:
            sigma, missing = (torch.full((len(sharp),), value) for value in (level, lack))
            noisy = sharp + lack * (start - sharp) + level * noise
            parts = zip(
                *(whole.split(16) for whole in (noisy, cond, sigma, words, missing)), strict=True
            )
            guesses = torch.cat([network(*part) for part in parts])
            gains.append(psnr_y(guesses / 2, sharp / 2) - psnr_y(cond / 2, sharp / 2))
        return float(np.mean(gains))

    def measures(self, network: nn.Module, pairs: Batch) -> list[float]:
        """Roughness along edges, specks and fine detail of whole passes, each the truth's own value at 1, at
        every noise level of `MEASURED_FROM` in turn; medians over pictures.

        Parameters
        ----------
        pairs : sharp pictures and enlarged sources, in −1…1.
        """
        sharp, start = pairs
        found = []
        for number, level in enumerate(MEASURED_FROM):
            torch.manual_seed(100 + number)
            first = torch.full((len(sharp),), level)
            lag = lag_at(first, self.knots)
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
    """The network's estimates, those of some patches moved on from what it says without their words
    (classifier-free guidance, Ho and Salimans, 2022).

    What it says without words is not learnt from: else words would be told apart from it by spoiling it, and
    without words high strengths gave less and less.
    """

    def estimate(x: Tensor, cond: Tensor, sigma: Tensor, words: Tensor, missing: Tensor) -> Tensor:
        worded = network(x, cond, sigma, words, missing)
        if not led.any():
            return worded
        given = (whole[led] for whole in (x, cond, sigma, torch.zeros_like(words), missing))
        with torch.no_grad():
            plain = network(*given)
        moved = torch.zeros_like(worded)
        moved[led] = wide(guidance[led] - 1) * (worded[led] - plain)
        return worded + moved

    return estimate


def borrowing(leads: Tensor) -> Tensor:
    """Which patches have a word that is not their own, (n) bool."""
    return ~leads[:, 0].isnan()


def lag_at(sigma: Tensor, knots: Sequence[tuple[float, float]]) -> Tensor:
    """The lag of passes that start from these noise levels."""
    levels, lags = np.array(knots).T
    found = np.interp(sigma.log().numpy(), np.log(levels), lags)
    return torch.from_numpy(found.astype(np.float32))


def wide(values: Tensor) -> Tensor:
    """A value for each picture, spread over its pixels."""
    return values.view(-1, 1, 1, 1)


def without_grain_in_flats(sharp: np.ndarray, start: np.ndarray) -> np.ndarray:
    """The sharp patch, but as the enlarged source where that is flat, (height, width, 3) float32.

    What a photograph holds in flat sky and paper is its camera's noise; a refiner that learnt to give
    that back would put dirt into every flat.
    """
    grey = cv2.cvtColor(start, cv2.COLOR_RGB2GRAY).astype(np.float32)
    mean, square = (cv2.blur(values, (FLAT_SIDE, FLAT_SIDE)) for values in (grey, grey**2))
    deviation = np.sqrt(np.maximum(square - mean**2, 0))
    low, high = FLAT_UP_TO
    flat = np.clip((high - deviation) / (high - low), 0, 1)
    flat = cv2.GaussianBlur(flat, (0, 0), 2.0)[..., None]
    return sharp + flat * (start.astype(np.float32) - sharp)


def recoloured(sharp: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A patch in other colours, uint8 both: channels exchanged, washed out, each lightened or darkened.

    Where a brown tells that it is wood, nothing is learnt from the word; and a word has to lead a picture to
    its material whatever its colours are.
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


def to_the_mean(guess: Tensor, truth: Tensor, weight: Tensor, kind: str) -> Tensor:
    """The plain loss: absolute error for an upscaler, EDM's weighted squared error for a refiner."""
    if kind == "upscaler":
        return functional.l1_loss(guess, truth)
    return (weight[:, None, None, None] * (guess - truth) ** 2).mean()


def energy(pictures: Tensor) -> Tensor:
    """Energy of the fine detail, which is what a blur of 0.8 px takes away, over 8 × 8 px every 4 px."""
    detail = pictures - blurred(pictures, 0.8)
    return functional.avg_pool2d((detail**2).sum(1, keepdim=True), 8, 4)


def grain(guess: Tensor, truth: Tensor, edges: Tensor) -> Tensor:
    """How far the fine detail's local energy is from the truth's, as a mean ratio of logarithms.

    Unlike the plain loss it does not ask where each grain lies, only that there is as much of it. Along an
    edge the cheapest energy is fray, so there it asks for nothing; in a flat it is dirt, which `speckled`
    makes dear.

    Parameters
    ----------
    edges : how much of an edge each place of the truth is, 0…1.
    """
    free = 1 - functional.avg_pool2d(edges, 8, 4)
    away = torch.log(energy(guess) + FAINT) - torch.log(energy(truth) + FAINT)
    return (free * away.abs()).mean()


def slopes(luma: Tensor) -> tuple[Tensor, Tensor]:
    """Central differences of (n, 1, height, width) across and down."""
    padded = functional.pad(luma, (1, 1, 1, 1), mode="replicate")
    across = (padded[..., 1:-1, 2:] - padded[..., 1:-1, :-2]) / 2
    return across, (padded[..., 2:, 1:-1] - padded[..., :-2, 1:-1]) / 2


def luma_of(pictures: Tensor) -> Tensor:
    """(n, 1, height, width) of (n, 3, height, width)."""
    return (pictures * LUMA.view(1, 3, 1, 1)).sum(1, keepdim=True)


def edges_in(truth: Tensor) -> tuple[Tensor, Tensor, Tensor]:
    """How much of an edge each place of a picture is, 0…1, and the direction across it, as cosine and sine.

    By the structure tensor of luma (Förstner and Gülch, 1987): gradients after a blur of 1 px, their
    products blurred by 2 px. A place is an edge where the tensor is coherent and strong.
    """
    x, y = slopes(blurred(luma_of(truth), 1.0))
    xx, xy, yy = (blurred(product, 2.0) for product in (x * x, x * y, y * y))
    spread, total = torch.sqrt((xx - yy) ** 2 + 4 * xy**2 + 1e-12), xx + yy + 1e-9
    coherent = ((spread / total - COHERENT[0]) / (COHERENT[1] - COHERENT[0])).clamp(0, 1)
    levels = total.sqrt() * 255 / 2
    strong = ((levels - STRONG[0]) / (STRONG[1] - STRONG[0])).clamp(0, 1)
    angle = 0.5 * torch.atan2(2 * xy, xx - yy)
    return coherent * strong, angle.cos(), angle.sin()


def frayed(guess: Tensor, truth: Tensor, edges: tuple[Tensor, Tensor, Tensor]) -> Tensor:
    """How far slopes along the truth's edges are from the truth's; those across them count half."""
    edge, cos, sin = edges
    x, y = slopes(luma_of(guess - truth))
    along, across = cos * y - sin * x, cos * x + sin * y
    return (edge * (along.abs() + 0.5 * across.abs())).mean()


def rougher(guess: Tensor, truth: Tensor, edges: tuple[Tensor, Tensor, Tensor]) -> Tensor:
    """How much rougher the truth's edges have become, as a mean logarithm over pictures that have some.

    Roughness is the root mean square of the slope along edges over that across them, as it is measured.
    """
    edge, cos, sin = edges

    def ratio(pictures: Tensor) -> Tensor:
        x, y = slopes(luma_of(pictures))
        along, across = (
            (edge * part**2).sum((1, 2, 3)) for part in (cos * y - sin * x, cos * x + sin * y)
        )
        return 0.5 * torch.log((along + 1e-5) / (across + 1e-5))

    counts = (edge.sum((1, 2, 3)) > LEAST_EDGE).float()
    return (functional.relu(ratio(guess) - ratio(truth)) * counts).sum() / counts.sum().clamp_min(1)


def outstanding(pictures: Tensor) -> Tensor:
    """How far each pixel's luma is from the median of its 3 × 3 px, (n, 1, height, width)."""
    luma = luma_of(pictures)
    padded = functional.pad(luma, (1, 1, 1, 1), mode="replicate")
    height, width = luma.shape[-2:]
    around = [padded[..., y : y + height, x : x + width] for y in range(3) for x in range(3)]
    return (luma - torch.cat(around, 1).median(1, keepdim=True).values).abs()


def speckled(guess: Tensor, truth: Tensor) -> Tensor:
    """How far pixels stand out of their neighbourhood beyond what the truth's do within 2 px."""
    allowed = functional.max_pool2d(outstanding(truth), 5, 1, 2)
    return functional.relu(outstanding(guess) - allowed - 2 * 2 / 255).mean()


def given_back(guess: Tensor, source: Tensor, wanted: Tensor, grained: float) -> Tensor:
    """The loss of a whole pass: near enough, tone kept, flats clean, detail as strong as the wanted, which
    is weighted separately."""
    away = (guess - wanted).abs().mean(1, keepdim=True)
    luma = source.mean(1, keepdim=True)
    mean, square = (
        functional.avg_pool2d(values, FLAT_SIDE, 1, FLAT_SIDE // 2, count_include_pad=False)
        for values in (luma, luma**2)
    )
    flat = (square - mean**2 < (2 / 255) ** 2).float()  # a level, where white is 2 above black
    near = (away * (1 + 10 * flat)).mean()
    low = functional.l1_loss(blurred(guess, 3.0), blurred(wanted, 3.0))
    return 2 * near + 10 * low + detailed(guess, wanted, grained)


def detailed(guess: Tensor, truth: Tensor, grained: float) -> Tensor:
    """The loss of detail that can't be known: as much of it as the truth has, but edges as straight and no
    pixel standing out."""
    with torch.no_grad():
        edges = edges_in(truth)
    return (
        grained * grain(guess, truth, edges[0])
        + EDGE_WEIGHT * frayed(guess, truth, edges)
        + ROUGHNESS_WEIGHT * rougher(guess, truth, edges)
        + SPECK_WEIGHT * speckled(guess, truth)
    )


def crisp(guess: Tensor, truth: Tensor, grained: float) -> Tensor:
    """An upscaler's loss beside a critic: near enough, low frequencies kept, detail as strong."""
    near = functional.l1_loss(guess, truth)
    low = functional.l1_loss(blurred(guess, 3.0), blurred(truth, 3.0))
    return 4 * near + 10 * low + detailed(guess, truth, grained)


def told_apart(truer: Tensor, other: Tensor) -> Tensor:
    """How far a critic is from rating the one above the other, place by place.

    The relativistic hinge loss (Jolicoeur-Martineau, 2018), of pairs that have one source.
    """
    return functional.relu(1 - (truer - other)).mean()
