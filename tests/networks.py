"""Networks with known behaviour, where the shipped one would hide what a test is about."""

import time
from dataclasses import dataclass, replace

import cv2
import numpy as np

from enamel.core.diffusion.denoiser import Condition, ModelSpec, PixelSpace
from enamel.core.imaging.canvas import FloatArray

PLAIN = ModelSpec(
    name="test", digest="0" * 64, grid=8, native_tile=64, radius=0, sigma_min=0.01, rho=5.0,
    strength_map=((0.0, 0.02), (1.0, 1.0)), softening=1.0, bytes_per_pixel=0.0,
)  # fmt: skip


@dataclass(frozen=True)
class Still(PixelSpace):
    """Does nothing: the estimate is the structure."""

    spec: ModelSpec = PLAIN

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        return condition.structure


@dataclass(frozen=True)
class Slow(PixelSpace):
    """Does nothing and takes its time over it, as a network does that computes elsewhere."""

    spec: ModelSpec = replace(PLAIN, name="slow")
    seconds: float = 0.1

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        time.sleep(self.seconds)
        return condition.structure


@dataclass(frozen=True)
class Leaning(PixelSpace):
    """Leans on what lies around: the low frequencies of the noisy picture set the tone of the estimate.

    As real networks do, it takes what is beyond the edge of its tile for flat grey, so that tiles
    that run alone come out different along their edges.
    """

    spec: ModelSpec = replace(PLAIN, name="leaning", radius=48)

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        side = 2 * 48 + 1
        low = cv2.blur(x, (side, side), borderType=cv2.BORDER_CONSTANT)
        detail = x - cv2.blur(x, (3, 3), borderType=cv2.BORDER_CONSTANT)
        lean = np.float32(0.5) * low + np.float32(0.1) * detail
        return condition.structure * np.float32(0.8) + lean.astype(np.float32)


@dataclass(frozen=True)
class Wordy(PixelSpace):
    """Knows two words: "red" and "blue" colour the tiles that get them, by weight."""

    spec: ModelSpec = replace(
        PLAIN, name="wordy", vocabulary=(("red", "scarlet", "signal red"), ("blue", "cobalt"))
    )

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        assert isinstance(condition.words, np.ndarray)
        red, blue = condition.words
        return condition.structure + np.array([red, 0, blue], np.float32) * np.float32(0.2)


@dataclass(frozen=True)
class Told(PixelSpace):
    """Writes what it was told is missing into its estimate, brighter for more."""

    spec: ModelSpec = replace(PLAIN, name="told", restores_detail=True)

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        return np.full_like(x, condition.degradation)
