"""What a training step teaches: patches, losses, and how far it has come."""

from collections.abc import Callable
from typing import Protocol

import cv2
import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from enamel.core.soften import softening_at
from training.networks import SIGMA_DATA
from training.pairs import Pictures, reduced
from training.recipes import Recipe

Batch = tuple[Tensor, ...]
SOFTENING = 4.0
"""Blur in px that takes the structure away at hold 0; the card says the same."""
HELD = 0.5
"""Share of the patches whose structure is held to as it is; the rest draw their hold evenly from 0 to 1."""
WORDLESS = 0.2
"""Share of the patches that are shown without their words, so that guidance has a place to stand."""
MIN_BLUR = 0.1
"""Blurs below this, in px, change nothing."""
JUDGED_AT = (0.1, 0.4)
"""Noise levels at which a refiner's plain estimate is judged."""


class Lesson(Protocol):
    """How one kind of network learns."""

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]: ...

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        """Estimate, what it was made from at its size, and a weight that makes errors comparable."""
        ...

    def judge(self, network: nn.Module, batch: Batch) -> float:
        """dB that the estimate is nearer to the sharp picture than what it was made from."""
        ...


class Enlarging:
    """An upscaler's: small patches and their sharp ones."""

    def __init__(self, recipe: Recipe, pictures: Pictures) -> None:
        self.recipe = recipe
        self.pictures = pictures
        (self.faults,) = recipe.faults

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Small and sharp patches, (count, 3, side, side) float32 in 0…1 each."""
        side = self.recipe.patch * self.faults.factor
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

    The source is softened at random, which is what hold below 1 does (condition augmentation), and
    words are left out at random, which is what guidance moves away from.
    """

    def __init__(
        self,
        recipe: Recipe,
        pictures: Pictures,
        upscaler: Callable[[np.ndarray], np.ndarray] | None,
    ) -> None:
        self.recipe = recipe
        self.pictures = pictures
        self.upscaler = upscaler

    def batch(self, rng: np.random.Generator, count: int) -> tuple[np.ndarray, ...]:
        """Sharp patches and conditions in −1…1, noise levels, words."""
        side = self.recipe.patch
        patches = [self.pictures.patch(side, rng) for _ in range(count)]
        sharps = [sharp for sharp, _ in patches]
        blurs = [softening_at(rng.random(), SOFTENING) * (rng.random() > HELD) for _ in sharps]
        conditions = [
            self._condition(sharp, blur, rng) for sharp, blur in zip(sharps, blurs, strict=True)
        ]
        words = np.stack([word for _, word in patches])
        words[rng.random(count) < WORDLESS] = 0
        # the more structure is missing, the larger is the noise at which it is decided
        centre = -2.3 + 0.35 * np.array(blurs)
        sigma = np.exp(rng.normal(centre, 1.1)).clip(0.005, 1.5).astype(np.float32)
        return planes(sharps) * 2 - 1, planes(conditions) * 2 - 1, sigma, words

    def _condition(self, sharp: np.ndarray, blur: float, rng: np.random.Generator) -> np.ndarray:
        faults = self.recipe.faults[rng.integers(len(self.recipe.faults))]
        small = reduced(sharp, faults, rng)
        if self.upscaler is not None and faults.factor == 4:
            large = self.upscaler(small)
        else:
            how = cv2.INTER_LANCZOS4 if rng.random() < 0.6 else cv2.INTER_CUBIC
            large = cv2.resize(small, sharp.shape[1::-1], interpolation=how)
        if blur > MIN_BLUR:
            large = cv2.GaussianBlur(large, (0, 0), blur)
        return large

    def guess(self, network: nn.Module, batch: Batch) -> tuple[Tensor, Tensor, Tensor]:
        sharp, cond, sigma, words = batch
        noisy = sharp + sigma.view(-1, 1, 1, 1) * torch.randn_like(sharp)
        weight = (sigma**2 + SIGMA_DATA**2) / (sigma * SIGMA_DATA) ** 2
        return network(noisy, cond, sigma, words), cond, weight

    def truth(self, batch: Batch) -> Tensor:
        return batch[0]

    def judge(self, network: nn.Module, batch: Batch) -> float:
        sharp, cond, _, words = batch
        noise = torch.randn(sharp.shape, generator=torch.Generator().manual_seed(11))
        gains = []
        for level in JUDGED_AT:
            sigma = torch.full((len(sharp),), level)
            parts = zip(
                (sharp + level * noise).split(16), cond.split(16), sigma.split(16), words.split(16),
                strict=True,
            )  # fmt: skip
            guesses = torch.cat([network(*part) for part in parts])
            gains.append(psnr_y(guesses / 2, sharp / 2) - psnr_y(cond / 2, sharp / 2))
        return float(np.mean(gains))

    @staticmethod
    def words(batch: Batch) -> Tensor:
        return batch[3]


def planes(patches: list[np.ndarray]) -> np.ndarray:
    """(count, 3, side, side) float32 in 0…1 of uint8 patches."""
    stacked = np.stack(patches).transpose(0, 3, 1, 2)
    return np.ascontiguousarray(stacked).astype(np.float32) / 255


def psnr_y(one: Tensor, other: Tensor) -> float:
    """Mean PSNR of luma over patches, in dB, white being 1 above black; above 50 dB all counts as 50."""
    weights = torch.tensor([0.2126, 0.7152, 0.0722]).view(1, 3, 1, 1)
    error = (((one - other) * weights).sum(1) ** 2).mean((1, 2)).clamp_min(1e-5)
    return float((-10 * torch.log10(error)).mean())


def blurred(pictures: Tensor, sigma: float) -> Tensor:
    """Gaussian blur of each plane."""
    radius = int(3 * sigma + 0.5)
    place = torch.arange(-radius, radius + 1, dtype=torch.float32)
    kernel = torch.exp(-0.5 * (place / sigma) ** 2)
    kernel = (kernel / kernel.sum()).repeat(3, 1, 1, 1)
    padded = functional.pad(pictures, (radius,) * 4, mode="reflect")
    across = functional.conv2d(padded, kernel, groups=3)
    return functional.conv2d(across, kernel.transpose(2, 3), groups=3)


def to_the_mean(guess: Tensor, truth: Tensor, weight: Tensor, kind: str) -> Tensor:
    """The plain loss: absolute error for an upscaler, EDM's weighted squared error for a refiner."""
    if kind == "upscaler":
        return functional.l1_loss(guess, truth)
    return (weight[:, None, None, None] * (guess - truth) ** 2).mean()


def grain(guess: Tensor, truth: Tensor) -> Tensor:
    """How far the fine detail's local energy is from the truth's, as a mean ratio of logarithms.

    Detail is what a blur of 0.8 px takes away; energy is taken over 8 × 8 px. Unlike the plain loss it
    does not ask where each grain lies, only that there is as much of it.
    """

    def energy(pictures: Tensor) -> Tensor:
        detail = pictures - blurred(pictures, 0.8)
        return torch.log(functional.avg_pool2d((detail**2).sum(1, keepdim=True), 8, 4) + 3e-4)

    return (energy(guess) - energy(truth)).abs().mean()


def crisp(guess: Tensor, truth: Tensor, verdict: Tensor, critic: float) -> Tensor:
    """The loss with a critic: near enough, low frequencies kept, grain as strong and as plausible."""
    near = functional.l1_loss(guess, truth)
    low = functional.l1_loss(blurred(guess, 3.0), blurred(truth, 3.0))
    return 4 * near + 10 * low + 0.15 * grain(guess, truth) - critic * verdict.mean()
