"""Refiners in ONNX files."""

from typing import Any

import numpy as np

from enamel.core.diffusion.denoiser import Condition, ModelSpec, PixelSpace
from enamel.core.imaging.canvas import FloatArray
from enamel.core.networks.cards import Card, card


class OnnxRefiner(PixelSpace):
    """A refiner by the contract of its card: inputs ``x``, ``cond``, ``sigma``, output ``x0``;
    ``words`` and ``missing`` where it takes them.

    Pickled by name: another process loads the same file, and refuses one with another digest.
    """

    def __init__(self, entry: Card) -> None:
        self.spec: ModelSpec = entry.spec()
        self._run = entry.running()

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        given = {
            "x": _planes(x),
            "cond": _planes(condition.structure),
            "sigma": np.array([sigma], np.float32),
        }
        if self.spec.vocabulary:
            words = len(self.spec.vocabulary)
            hints = np.zeros(words, np.float32) if condition.words is None else condition.words
            assert not isinstance(hints, str)
            given["words"] = hints[None]
        if self.spec.restores_detail:
            given["degradation"] = np.array([condition.degradation], np.float32)
        denoised = self._run(given)
        return np.ascontiguousarray(denoised[0].transpose(1, 2, 0))

    def __reduce__(self) -> tuple[Any, ...]:
        return again, (self.spec.name, self.spec.digest)


def _planes(pixels: FloatArray) -> FloatArray:
    return np.ascontiguousarray(pixels.transpose(2, 0, 1))[None]


def verified(entry: Card, digest: str | None) -> OnnxRefiner:
    """Return the refiner of a card; a `Refusal` when its file is another one than the digest names."""
    entry.verify(digest)
    return OnnxRefiner(entry)


def again(name: str, digest: str) -> OnnxRefiner:
    """Return the same refiner in another process."""
    return verified(card(name, "refiner"), digest)
