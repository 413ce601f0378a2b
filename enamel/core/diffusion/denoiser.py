"""What a refiner has to offer, whatever network is behind it."""

from dataclasses import dataclass
from typing import Protocol

from enamel.core.picture.canvas import FloatArray


@dataclass(frozen=True, slots=True)
class Condition:
    """What an estimate is led by, besides the noisy picture itself.

    ``structure`` is (height, width, 3) float32 in −1…1: the source at the same size and place.
    """

    structure: FloatArray
    hints: FloatArray | None = None
    """Weight of each word of the refiner's vocabulary, (words,) float32; None if it knows none."""
    missing: float = 0.0
    """Share, 0…1, of the detail lost by enlarging that the picture lacks at this level."""


@dataclass(frozen=True, slots=True)
class Traits:
    """What the engine must know of a refiner. Lengths in px."""

    name: str
    digest: str
    """sha256 of the network's file."""
    grid: int
    """Sides and origins of what the network sees are multiples of this."""
    native_tile: int
    radius: int | None
    """Receptive radius: no estimate depends on a pixel further away. None if it sees the whole tile."""
    sigma_min: float
    """Lowest noise level before 0."""
    rho: float
    """Karras spacing's exponent that suits the network."""
    strength_map: tuple[tuple[float, float], ...]
    """Knots (strength, σ) from strength 0 to 1."""
    softening: float
    """Standard deviation in px of the blur that takes the structure away at hold 0."""
    bytes_per_pixel: float
    """Memory the network takes for each pixel it sees, measured."""
    vocabulary: tuple[tuple[str, ...], ...] = ()
    """What it understands in a prompt: for each word its synonyms, the word itself first."""
    gives_back: bool = False
    """Whether it is told how much detail is missing, and so can give it back."""
    lag: tuple[tuple[float, float], ...] = ((0.0, 0.0),)
    """Knots (strength, lag): what it is told to lack at the last level of a pass, as a share of what it
    lacked at first. Few steps give back less than they should, and this makes up for it."""


class Denoiser(Protocol):
    """A network that estimates the clean picture from a noisy one. Must be picklable."""

    @property
    def traits(self) -> Traits: ...

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        """Estimate of the clean picture.

        Parameters
        ----------
        x : (height, width, 3) float32, picture in −1…1 plus σ times standard normal noise, and, where
            ``condition.missing`` is above 0, plus that share of (enlarged − picture); sides multiples
            of ``traits.grid``.
        sigma : noise level of x.
        condition : structure of the same height and width.

        Returns
        -------
        (height, width, 3) float32.
        """
        ...
