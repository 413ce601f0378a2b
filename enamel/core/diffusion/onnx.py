"""Refiners in ONNX files, run by ONNX Runtime on all cores."""

import os
from functools import lru_cache
from typing import Any

import numpy as np
import onnxruntime

from enamel.core.canvas import FloatArray
from enamel.core.diffusion.denoiser import Condition, Traits
from enamel.core.weights import Card, card


class OnnxRefiner:
    """A refiner by the contract of its card: inputs ``x``, ``cond``, ``sigma``, output ``x0``.

    Pickled by name: another process loads the same file and finds the same digest, or refuses.
    """

    def __init__(self, entry: Card) -> None:
        self.traits: Traits = entry.traits()
        self._session = session(str(entry.file))

    def predict(self, x: FloatArray, sigma: float, condition: Condition) -> FloatArray:
        given = {
            "x": _planes(x),
            "cond": _planes(condition.structure),
            "sigma": np.array([sigma], np.float32),
        }
        if self.traits.vocabulary:
            words = len(self.traits.vocabulary)
            hints = np.zeros(words, np.float32) if condition.hints is None else condition.hints
            given["words"] = hints[None]
        (estimate,) = self._session.run(["x0"], given)
        return np.ascontiguousarray(estimate[0].transpose(1, 2, 0))

    def __reduce__(self) -> tuple[Any, ...]:
        return refiner, (self.traits.name, self.traits.digest)


def _planes(pixels: FloatArray) -> FloatArray:
    return np.ascontiguousarray(pixels.transpose(2, 0, 1))[None]


@lru_cache(maxsize=8)
def session(path: str) -> Any:
    """The network in the file, ready to run, on ``ENAMEL_THREADS`` threads or all cores."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = int(os.environ.get("ENAMEL_THREADS", "0"))
    options.enable_cpu_mem_arena = False  # the arena keeps the largest tile's memory for good
    return onnxruntime.InferenceSession(path, options, providers=["CPUExecutionProvider"])


@lru_cache(maxsize=8)
def refiner(name: str, digest: str | None = None) -> OnnxRefiner:
    """The refiner of that name; a `Refusal` when there is none or its file is another one."""
    entry = card(name, "refiner")
    entry.verify(digest)
    return OnnxRefiner(entry)
