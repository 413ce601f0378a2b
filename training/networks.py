"""The networks. Purely convolutional, no normalisation across pixels: a finite receptive field."""

import torch
from torch import Tensor, nn
from torch.nn import functional


class Residual(nn.Module):
    """Two 3 × 3 convolutions around a rectifier, added to what came in."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(width, width, 3, padding=1)
        self.second = nn.Conv2d(width, width, 3, padding=1)
        nn.init.zeros_(self.second.weight)

    def forward(self, x: Tensor) -> Tensor:
        return x + self.second(functional.relu(self.first(x)))


class Upscaler(nn.Module):
    """Residual blocks at the small size, then a shuffle to the large one, on top of bicubic.

    Input and output are sRGB in 0…1. The receptive radius in px of the small picture is
    2 + 2 · blocks, one for each 3 × 3 convolution, and 2 for bicubic.
    """

    def __init__(self, factor: int, width: int, blocks: int) -> None:
        super().__init__()
        self.factor = factor
        self.head = nn.Conv2d(3, width, 3, padding=1)
        self.body = nn.Sequential(*(Residual(width) for _ in range(blocks)))
        self.tail = nn.Conv2d(width, 3 * factor**2, 3, padding=1)
        nn.init.zeros_(self.tail.weight)
        nn.init.zeros_(self.tail.bias)

    @property
    def radius(self) -> int:
        return 2 + 2 * len(self.body)

    def forward(self, x: Tensor) -> Tensor:
        plain = functional.interpolate(
            x, scale_factor=self.factor, mode="bicubic", align_corners=False
        )
        added = self.tail(self.body(functional.relu(self.head(x))))
        return plain + functional.pixel_shuffle(added, self.factor)


def make(kind: str, **sizes: int) -> nn.Module:
    """A network by its kind."""
    kinds: dict[str, type[nn.Module]] = {"upscaler": Upscaler}
    return kinds[kind](**sizes).to(memory_format=torch.channels_last)
