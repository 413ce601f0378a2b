"""What a texture is like, in numbers that a network can be led by."""

from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from training.measures import OCTAVES
from training.trying import middle

STATISTICS = 18
DIRECTIONS = 4
SQUARE = 256
"""Side of the square of each texture that its material's statistics are taken from."""
LUMA = torch.tensor([0.2126, 0.7152, 0.0722])  # ITU-R BT.709-6, item 3.2
FAINTEST = 1e-8
"""Mean power, of white at 1, below which more or less of it is all one."""


def manner(pictures: Tensor) -> Tensor:
    """Statistics of pictures (n, 3, side, side) in −1…1, (n, 18).

    Mean power in each of four directions of the three topmost octaves; how much of an octave's detail stands
    out (kurtosis); how it is spread over the picture (deviation of its local power, for the two finest);
    whether the finest is light on dark or dark on light (skewness). All but the last are logarithms.
    With power alone all materials are taken for one weave, which has what they have on average.

    After Portilla and Simoncelli, "A parametric texture model based on joint statistics of complex
    wavelet coefficients", 2000, which has many more.
    """
    luma = (pictures * LUMA.view(1, 3, 1, 1)).sum(1) / 2
    side = luma.shape[-1]
    fade = torch.hann_window(side, periodic=False)
    waves = torch.fft.fft2((luma - luma.mean((1, 2), keepdim=True)) * fade[:, None] * fade)
    power = waves.abs().square() / side**4
    found, details = [], []
    for octave in bands(side):
        found += [((power * (octave & way)).sum((1, 2)) + FAINTEST).log10() for way in ways(side)]
        square = torch.fft.ifft2(waves * octave).real.square()
        mean = square.mean((1, 2)) + FAINTEST
        found.append((square.square().mean((1, 2)) / mean**2 + 1).log10())
        details.append(square)
    for square in details[:2]:
        local = functional.avg_pool2d(square[:, None], 8, 4)
        found.append((local + FAINTEST).log10().flatten(1).std(1))
    fine = luma - blurred(luma[:, None], 1.0)[:, 0]
    found.append((fine**3).mean((1, 2)) / (fine.square().mean((1, 2)) + FAINTEST) ** 1.5)
    return torch.stack(found, 1)


def bands(side: int) -> list[Tensor]:
    """Which waves belong to each of the topmost octaves, the finest first, (side, side) bool each."""
    radius = torch.hypot(torch.fft.fftfreq(side)[:, None], torch.fft.fftfreq(side))
    return [(radius > low) & (radius <= high) for low, high in OCTAVES]


def ways(side: int) -> list[Tensor]:
    """Which waves run in each direction: across, down and between, (side, side) bool each."""
    angle = torch.atan2(
        torch.fft.fftfreq(side)[:, None], torch.fft.fftfreq(side).expand(side, side)
    )
    sector = torch.round(angle / (torch.pi / DIRECTIONS)).remainder(DIRECTIONS)
    return [sector == way for way in range(DIRECTIONS)]


def manners(named: dict[int, list[Path]], side: int) -> tuple[dict[int, np.ndarray], Tensor]:
    """The mean statistics of each material's textures over squares of this side, by the material's place,
    and the deviation of textures from each other."""
    each = {word: [manner_of(path, side) for path in paths] for word, paths in named.items()}
    spread = np.std([one for group in each.values() for one in group], axis=0)
    means = {word: np.mean(group, axis=0) for word, group in each.items()}
    return means, torch.from_numpy(spread)


def manner_of(path: Path, side: int) -> np.ndarray:
    """Mean statistics of a texture's middle, over squares of this side."""
    pixels = middle(np.load(path, mmap_mode="r"), SQUARE)
    planes = torch.from_numpy(pixels.transpose(2, 0, 1)[None].astype(np.float32) / 127.5 - 1)
    squares = planes.unfold(2, side, side).unfold(3, side, side).permute(0, 2, 3, 1, 4, 5)
    return manner(squares.reshape(-1, 3, side, side)).mean(0).numpy()


def blurred(pictures: Tensor, sigma: float) -> Tensor:
    """Gaussian blur of each plane."""
    radius = int(3 * sigma + 0.5)
    place = torch.arange(-radius, radius + 1, dtype=torch.float32)
    kernel = torch.exp(-0.5 * (place / sigma) ** 2)
    kernel = (kernel / kernel.sum()).repeat(pictures.shape[1], 1, 1, 1)
    padded = functional.pad(pictures, (radius,) * 4, mode="reflect")
    across = functional.conv2d(padded, kernel, groups=pictures.shape[1])
    return functional.conv2d(across, kernel.transpose(2, 3), groups=pictures.shape[1])
