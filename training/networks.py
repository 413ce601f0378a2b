"""The networks. Purely convolutional, no normalisation across pixels: a finite receptive field."""

import torch
from torch import Tensor, nn
from torch.nn import functional

SIGMA_DATA = 0.1
"""Size of the detail that is missing in an enlarged source, as a standard deviation in −1…1."""


class Residual(nn.Module):
    """Two 3 × 3 convolutions around a rectifier, added to what came in."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(width, width, 3, padding=1)
        self.second = nn.Conv2d(width, width, 3, padding=1)
        nn.init.zeros_(self.second.weight)

    def forward(self, x: Tensor) -> Tensor:
        return x + self.second(functional.relu(self.first(x)))


def bicubic_weights(factor: int) -> Tensor:
    """Bicubic enlarging as a 5 × 5 convolution before a pixel shuffle, (3 · factor², 3, 5, 5).

    Read off the interpolation itself, by enlarging a single white pixel.
    """
    impulse = torch.zeros(1, 1, 9, 9)
    impulse[..., 4, 4] = 1
    large = functional.interpolate(
        impulse, scale_factor=factor, mode="bicubic", align_corners=False
    )
    phases = functional.pixel_unshuffle(large, factor)[0, :, 2:7, 2:7].flip(1, 2)
    weights = torch.zeros(3, factor**2, 3, 5, 5)
    for channel in range(3):
        weights[channel, :, channel] = phases
    return weights.flatten(0, 1)


def _set_to_zero(layer: nn.Conv2d) -> None:
    """Have a layer give nothing at first, so that a network begins as what it corrects."""
    nn.init.zeros_(layer.weight)
    if layer.bias is not None:
        nn.init.zeros_(layer.bias)


class Upscaler(nn.Module):
    """Residual blocks at the small size, then a shuffle to the large one, on top of bicubic.

    Input and output are sRGB in 0…1. The receptive radius in px of the small picture is
    2 + 2 · blocks, one for each 3 × 3 convolution, and at least bicubic's 2.
    """

    def __init__(self, factor: int, width: int, blocks: int) -> None:
        super().__init__()
        self.factor = factor
        self.head = nn.Conv2d(3, width, 3, padding=1)
        self.body = nn.Sequential(*(Residual(width) for _ in range(blocks)))
        self.tail = nn.Conv2d(width, 3 * factor**2, 3, padding=1)
        _set_to_zero(self.tail)
        self.plain: Tensor
        self.register_buffer("plain", bicubic_weights(factor), persistent=False)

    @property
    def radius(self) -> int:
        return 2 + 2 * len(self.body)

    def forward(self, x: Tensor) -> Tensor:
        plain = functional.conv2d(functional.pad(x, (2, 2, 2, 2), mode="replicate"), self.plain)
        added = self.tail(self.body(functional.relu(self.head(x))))
        return functional.pixel_shuffle(plain + added, self.factor)


class ConditionedResidual(nn.Module):
    """A residual block whose middle is scaled and shifted by the noise level and the words."""

    def __init__(self, width: int, led_by: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(width, width, 3, padding=1)
        self.second = nn.Conv2d(width, width, 3, padding=1)
        self.steer = nn.Linear(led_by, 2 * width)
        nn.init.zeros_(self.second.weight)
        nn.init.zeros_(self.steer.weight)
        nn.init.zeros_(self.steer.bias)

    def forward(self, x: Tensor, lead: Tensor) -> Tensor:
        scale, shift = self.steer(lead)[:, :, None, None].chunk(2, dim=1)
        middle = functional.relu(self.first(x) * (1 + scale) + shift)
        return x + self.second(middle)


class Refiner(nn.Module):
    """Conditional diffusion in pixel space: estimates the clean picture from a noisy one.

    A U-Net over half, quarter and eighth size that estimates the residual over the enlarged source,
    preconditioned as in Karras et al., "Elucidating the design space of diffusion-based generative
    models", 2022, with the residual in the place of the picture.

    It is given x = truth + missing · (enlarged − truth) + σ · noise: not only noisy, but lacking a share
    of the detail that enlarging lost. What is missing counts as noise of its own size in the
    preconditioning, n = √(σ² + (missing · σ_data)²).

    Inputs ``x``, ``cond`` (n, 3, h, w) in −1…1, ``sigma`` (n), ``words`` (n, words), weights that sum
    to 1 or are all 0, ``missing`` (n) in 0…1; output like x. Sides are multiples of 8.
    """

    radius = 80
    """Receptive radius in px: 7 convolutions at half size, 8 at a quarter and 4 at an eighth, each
    reaching one px of its own size, and what changing sizes adds."""

    def __init__(self, words: int, width: int, middle: int, deep: int) -> None:
        super().__init__()
        lead = 96
        self.lead = nn.Sequential(nn.Linear(16, lead), nn.ReLU(), nn.Linear(lead, lead))
        self.words = nn.Linear(words, lead, bias=False)
        nn.init.normal_(self.words.weight, std=0.02)
        self.lack = nn.Linear(2, lead, bias=False)
        nn.init.zeros_(self.lack.weight)
        self.enter = nn.Conv2d(24, width, 3, padding=1)
        self.half_down = ConditionedResidual(width, lead)
        self.to_quarter = nn.Conv2d(width, middle, 2, stride=2)
        self.quarter = nn.ModuleList(ConditionedResidual(middle, lead) for _ in range(2))
        self.to_eighth = nn.Conv2d(middle, deep, 2, stride=2)
        self.eighth = nn.ModuleList(ConditionedResidual(deep, lead) for _ in range(2))
        self.from_eighth = nn.ConvTranspose2d(deep, middle, 2, stride=2)
        self.quarter_again = nn.ModuleList(ConditionedResidual(middle, lead) for _ in range(2))
        self.from_quarter = nn.ConvTranspose2d(middle, width, 2, stride=2)
        self.half_up = ConditionedResidual(width, lead)
        self.leave = nn.Conv2d(width, 12, 3, padding=1)
        _set_to_zero(self.leave)

    def forward(
        self, x: Tensor, cond: Tensor, sigma: Tensor, words: Tensor, missing: Tensor
    ) -> Tensor:
        noise = (sigma**2 + (missing * SIGMA_DATA) ** 2).sqrt()
        variance = noise**2 + SIGMA_DATA**2
        lacking = torch.stack([missing, missing * SIGMA_DATA / noise], 1)
        lead = functional.relu(self.lead(fourier(sigma)) + self.words(words) + self.lack(lacking))
        spread = variance.rsqrt()[:, None, None, None]
        residual = x - cond
        given = functional.pixel_unshuffle(torch.cat([residual * spread, cond], 1), 2)
        half = self.half_down(self.enter(given), lead)
        quarter = smaller(half, self.to_quarter)
        for block in self.quarter:
            quarter = block(quarter, lead)
        eighth = smaller(quarter, self.to_eighth)
        for block in self.eighth:
            eighth = block(eighth, lead)
        quarter = quarter + larger(eighth, self.from_eighth)
        for block in self.quarter_again:
            quarter = block(quarter, lead)
        half = self.half_up(half + larger(quarter, self.from_quarter), lead)
        change = functional.pixel_shuffle(self.leave(functional.relu(half)), 2)
        keep = (SIGMA_DATA**2 / variance)[:, None, None, None]
        return cond + keep * residual + (noise[:, None, None, None] * SIGMA_DATA * spread) * change


def smaller(x: Tensor, layer: nn.Conv2d) -> Tensor:
    """A 2 × 2 convolution of stride 2, as a shuffle and a 1 × 1 convolution.

    For 1 × 1 convolutions the order of the sums can't depend on the picture's shape. (No difference was
    seen with strided ones either, over 400 windows; this way it need not be looked for again.)
    """
    weight = layer.weight.flatten(1)[:, :, None, None]
    return functional.conv2d(functional.pixel_unshuffle(x, 2), weight, layer.bias)


def larger(x: Tensor, layer: nn.ConvTranspose2d) -> Tensor:
    """A transposed 2 × 2 convolution of stride 2, as a 1 × 1 convolution and a shuffle."""
    weight = layer.weight.permute(1, 2, 3, 0).flatten(0, 2)[:, :, None, None]
    bias = None if layer.bias is None else layer.bias.repeat_interleave(4)
    return functional.pixel_shuffle(functional.conv2d(x, weight, bias), 2)


def fourier(sigma: Tensor) -> Tensor:
    """The noise level as 16 smooth features of its logarithm."""
    rates = torch.tensor([0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0, 4.0])
    phase = sigma.log()[:, None] * rates
    return torch.cat([phase.cos(), phase.sin()], 1)


class CriticScale(nn.Module):
    """What a critic says at one scale, of patches of about 20 px.

    Strided convolutions with spectral norm (Miyato et al., 2018); words by projection (Miyato and
    Koyama, 2018).
    """

    def __init__(self, words: int, width: int) -> None:
        super().__init__()
        norm = nn.utils.parametrizations.spectral_norm
        self.layers = nn.Sequential(
            norm(nn.Conv2d(6, width, 3, padding=1)),
            nn.LeakyReLU(0.2),
            norm(nn.Conv2d(width, 2 * width, 4, stride=2, padding=1)),
            nn.LeakyReLU(0.2),
            norm(nn.Conv2d(2 * width, 2 * width, 3, padding=1)),
            nn.LeakyReLU(0.2),
            norm(nn.Conv2d(2 * width, 3 * width, 4, stride=2, padding=1)),
            nn.LeakyReLU(0.2),
        )
        self.verdict = norm(nn.Conv2d(3 * width, 1, 3, padding=1))
        self.words = norm(nn.Linear(words, 3 * width, bias=False)) if words else None

    def forward(self, picture: Tensor, source: Tensor, words: Tensor | None) -> Tensor:
        seen = self.layers(torch.cat([picture, picture - source], 1))
        verdict = self.verdict(seen)
        if self.words is not None and words is not None:
            verdict = verdict + (seen * self.words(words)[:, :, None, None]).sum(1, keepdim=True)
        return verdict.flatten(1)


class Critic(nn.Module):
    """Tells sharp patches from made ones at two scales, given what they were made from and the words.

    Only the training uses it.
    """

    def __init__(self, words: int = 0, width: int = 32) -> None:
        super().__init__()
        self.fine, self.coarse = CriticScale(words, width), CriticScale(words, width)

    def forward(self, picture: Tensor, source: Tensor, words: Tensor | None = None) -> Tensor:
        """Numbers for each picture, (n, places at both scales); larger is sharper. Pictures in −1…1."""
        halved = (functional.avg_pool2d(one, 2) for one in (picture, source))
        return torch.cat([self.fine(picture, source, words), self.coarse(*halved, words)], 1)


def make(kind: str, **sizes: int) -> nn.Module:
    """A network by its kind."""
    kinds: dict[str, type[nn.Module]] = {"upscaler": Upscaler, "refiner": Refiner}
    network = kinds[kind](**sizes)
    return network.to(memory_format=torch.channels_last)  # type: ignore[call-overload]
