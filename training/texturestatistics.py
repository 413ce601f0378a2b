"""Statistics of textures, as targets for refiners that follow words."""

from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from training.measures import OCTAVES
from training.testpictures import crop_middle

STATISTICS = 18
DIRECTIONS = 4
SQUARE = 256
"""Side in px of the middle of each texture that its material's statistics are measured on."""
LUMA = torch.tensor([0.2126, 0.7152, 0.0722])  # ITU-R BT.709-6, item 3.2
FAINTEST = 1e-8
"""Mean power, white being 1, below which differences do not count."""


def texture_statistics(pictures: Tensor) -> Tensor:
    """Statistics of pictures (n, 3, side, side) in −1…1, (n, 18).

    Mean power in each of four directions of the three topmost octaves; kurtosis of each octave; deviation
    of the local power of the two finest; skewness of the finest (light on dark or dark on light). All but the
    last are logarithms. With power alone, results of all materials looked like the same weave.

    After Portilla and Simoncelli, "A parametric texture model based on joint statistics of complex
    wavelet coefficients", 2000, which has many more.
    """
    luma = (pictures * LUMA.view(1, 3, 1, 1)).sum(1) / 2
    side = luma.shape[-1]
    fade = torch.hann_window(side, periodic=False)
    waves = torch.fft.fft2((luma - luma.mean((1, 2), keepdim=True)) * fade[:, None] * fade)
    power = waves.abs().square() / side**4
    found, details = [], []
    for octave in octave_masks(side):
        found += [
            ((power * (octave & way)).sum((1, 2)) + FAINTEST).log10() for way in directions(side)
        ]
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


def octave_masks(side: int) -> list[Tensor]:
    """Which waves belong to each of the topmost octaves, the finest first, (side, side) bool each."""
    radius = torch.hypot(torch.fft.fftfreq(side)[:, None], torch.fft.fftfreq(side))
    return [(radius > low) & (radius <= high) for low, high in OCTAVES]


def directions(side: int) -> list[Tensor]:
    """Which waves run in each direction: across, down and between, (side, side) bool each."""
    angle = torch.atan2(
        torch.fft.fftfreq(side)[:, None], torch.fft.fftfreq(side).expand(side, side)
    )
    sector = torch.round(angle / (torch.pi / DIRECTIONS)).remainder(DIRECTIONS)
    return [sector == way for way in range(DIRECTIONS)]


def measure_materials(
    named: dict[int, list[Path]], side: int
) -> tuple[dict[int, np.ndarray], Tensor]:
    """The mean statistics of each material's textures over squares of this side, by the material's place,
    and the deviation of textures from each other."""
    each = {word: [measure_file(path, side) for path in paths] for word, paths in named.items()}
    spread = np.std([one for group in each.values() for one in group], axis=0)
    means = {word: np.mean(group, axis=0) for word, group in each.items()}
    return means, torch.from_numpy(spread)


def measure_file(path: Path, side: int) -> np.ndarray:
    """Mean statistics of a texture's middle, over squares of this side."""
    pixels = crop_middle(np.load(path, mmap_mode="r"), SQUARE)
    planes = torch.from_numpy(pixels.transpose(2, 0, 1)[None].astype(np.float32) / 127.5 - 1)
    squares = planes.unfold(2, side, side).unfold(3, side, side).permute(0, 2, 3, 1, 4, 5)
    return texture_statistics(squares.reshape(-1, 3, side, side)).mean(0).numpy()


def blurred(pictures: Tensor, sigma: float) -> Tensor:
    """Gaussian blur of each plane."""
    radius = int(3 * sigma + 0.5)
    place = torch.arange(-radius, radius + 1, dtype=torch.float32)
    kernel = torch.exp(-0.5 * (place / sigma) ** 2)
    kernel = (kernel / kernel.sum()).repeat(pictures.shape[1], 1, 1, 1)
    padded = functional.pad(pictures, (radius,) * 4, mode="reflect")
    across = functional.conv2d(padded, kernel, groups=pictures.shape[1])
    return functional.conv2d(across, kernel.transpose(2, 3), groups=pictures.shape[1])
