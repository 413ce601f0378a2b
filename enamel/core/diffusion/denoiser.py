"""The interface of refiners, whatever network is behind it."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray

Words = FloatArray | str
"""What a tile is conditioned on: a weight for each word of a vocabulary, (words,) float32; or a prompt."""


class Holding(StrEnum):
    """What *hold* does with a refiner."""

    STRUCTURE = "structure"
    """How sharp the structure is that the network is given."""
    START = "start"
    """How much of the enlarged picture is in the start of a pass; the network is given no structure."""
    GUIDE = "guide"
    """How strongly a structure guide beside the network counts."""


@dataclass(frozen=True, slots=True)
class Condition:
    """What a prediction is conditioned on, besides the noisy picture itself.

    ``structure`` is (height, width, 3) float32 in −1…1: the source at the same size and place.
    """

    structure: FloatArray
    words: Words | None = None
    """None for a refiner without a vocabulary."""
    degradation: float = 0.0
    """Fraction, 0…1, of the detail lost by enlarging that the picture lacks at this level."""
    hold: float = 1.0
    """Weight of a structure guide, 0…1."""
    guidance: float = 1.0
    """The guidance scale, for networks that take it as an input."""
    negative: bool = False
    """Whether these are the unconditional side of guidance."""


@dataclass(frozen=True, slots=True)
class Space:
    """The space in which a refiner works: pixels, or latent cells of ``factor`` × ``factor`` px."""

    factor: int = 1
    channels: int = 3
    coding_radius: int | None = 0
    """Receptive radius of encoding and decoding, in px; None where they see all of a tile."""
    coding_cost: float = 0.0
    """Cost of encoding and decoding a tile, in evaluations."""

    @property
    def latent(self) -> bool:
        """Whether the network works on anything but pixels."""
        return (self.factor, self.channels) != (1, 3)

    def box(self, box: Box) -> Box:
        """Return the cells of a box on the grid."""
        return Box.between(
            box.x // self.factor,
            box.y // self.factor,
            -(-box.right // self.factor),
            -(-box.bottom // self.factor),
        )

    def pixels(self, box: Box) -> Box:
        """Return the px of a box of cells."""
        return Box(*(side * self.factor for side in (box.x, box.y, box.width, box.height)))

    def size(self, size: Size) -> Size:
        """Return cells of a picture whose sides are multiples of the factor."""
        return Size(size.width // self.factor, size.height // self.factor)

    def cells(self, pixels: FloatArray) -> FloatArray:
        """(height, width, channels) px averaged over each cell."""
        if self.factor == 1:
            return pixels
        height, width, channels = pixels.shape
        parted = pixels.reshape(
            height // self.factor, self.factor, width // self.factor, self.factor, channels
        )
        return np.ascontiguousarray(parted.mean(axis=(1, 3), dtype=np.float32))


PIXELS = Space()


@dataclass(frozen=True, slots=True)
class ModelSpec:
    """What the engine has to know about a refiner. Lengths in px."""

    name: str
    digest: str
    """sha256 of the network's file."""
    grid: int
    """Sides and origins of what the network sees are multiples of this."""
    native_tile: int
    radius: int | None
    """Receptive radius: no prediction depends on a pixel farther away. None if it sees the whole tile."""
    sigma_min: float
    """Lowest noise level above 0."""
    rho: float
    """Karras spacing's exponent that suits the network."""
    strength_map: tuple[tuple[float, float], ...]
    """Knots (strength, σ) from strength 0 to 1."""
    softening: float
    """Standard deviation in px of the blur that takes the structure away at hold 0."""
    bytes_per_pixel: float
    """Measured memory of the network for each pixel that it sees."""
    vocabulary: tuple[tuple[str, ...], ...] = ()
    """Its vocabulary: for each word its synonyms, the word itself first."""
    restores_detail: bool = False
    """Whether it takes the fraction of missing detail as an input, and so can restore it."""
    space: Space = PIXELS
    reads_prompts: bool = False
    """Whether it reads prompts as text, and not by a vocabulary."""
    holding: Holding = Holding.STRUCTURE
    final_degradation: tuple[tuple[float, float], ...] = ((0.0, 0.0),)
    """Knots (strength, fraction): the missing detail it is given at the last level of a pass, as a fraction
    of what it lacked at first. Few steps restore less than they should, and this makes up for it."""


class Denoiser(Protocol):
    """A network that predicts the clean picture from a noisy one. Must be picklable."""

    @property
    def spec(self) -> ModelSpec: ...

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        """Predict the clean picture.

        Parameters
        ----------
        x : (height, width, channels) float32 in the refiner's space: the picture plus σ times standard
            normal noise, and, where ``condition.missing`` is above 0, plus that share of
            (enlarged − picture). Pixels are in −1…1; sides in px are multiples of ``spec.grid``.
        sigma : noise level of x.
        condition : structure of the same place.

        Returns
        -------
        The shape of x, float32.
        """
        ...

    def encode(self, pixels: FloatArray) -> FloatArray:
        """Bring pixels, (height, width, 3) in −1…1, into the refiner's space."""
        ...

    def decode(self, values: FloatArray) -> FloatArray:
        """Return values of the refiner's space as pixels, (height, width, 3) in −1…1."""
        ...

    def latent_preview(self, values: FloatArray) -> FloatArray:
        """Return a rough and quick `decode`, for previews."""
        ...


class PixelSpace:
    """Encoding and decoding of a refiner that works on pixels: nothing is done."""

    def encode(self, pixels: FloatArray) -> FloatArray:
        return pixels

    def decode(self, values: FloatArray) -> FloatArray:
        return values

    def latent_preview(self, values: FloatArray) -> FloatArray:
        return values
