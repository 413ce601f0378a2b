"""Reads a shipped model's weights back, so that a run goes on from the file itself.

The exporter keeps the names of weights except of those whose shapes it changes: matrices are transposed,
axes of transposed convolutions permuted, their biases repeated. Those follow in the network's order.
"""

from collections.abc import Mapping
from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch import Tensor

IN_16_BITS = ".halved"
"""Ends the names of weights that are kept in 16 bits."""


def weights_in(path: Path, wanted: Mapping[str, Tensor]) -> dict[str, Tensor]:
    """The weights of a file by the names of ``wanted``, whose values have the expected shapes.

    Raises
    ------
    ValueError
        If the file holds another network.
    """
    stored = {
        one.name.removesuffix(IN_16_BITS): numpy_helper.to_array(one).astype(np.float32)
        for one in onnx.load(path).graph.initializer
    }
    prefix = "network." if any(name.startswith("network.") for name in stored) else ""
    found = {name: stored.pop(prefix + name) for name in wanted if prefix + name in stored}
    folded = (values for name, values in stored.items() if "::" in name)
    for name in wanted:
        if name not in found:
            found[name] = unfold(next(folded, np.empty(0)))
        if found[name].shape != tuple(wanted[name].shape):
            raise ValueError(f"{path.name} holds another network: {name} differs.")
    return {name: torch.from_numpy(np.array(found[name])) for name in wanted}


def unfold(values: np.ndarray) -> np.ndarray:
    """A folded weight in the shape that it has in the network."""
    if values.ndim == 4:
        return values.transpose(3, 0, 1, 2)
    return values[:, 0] if values.shape[1:] == (1,) else values.T
