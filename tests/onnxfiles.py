"""ONNX files of made-up networks."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper


def refiner_network(
    path: Path,
    *,
    keep: float = 0.3,
    words: int = 0,
    degradation: str = "",
    whole: bool = False,
    metadata: dict[str, Any] | None = None,
) -> Path:
    """A made-up refiner: a share of the noise stays, the rest is the condition, softly blurred.

    ``whole`` adds the mean of the noise, so that it looks at its whole tile.
    """
    kernel = np.zeros((3, 3, 5, 5), np.float32)
    for channel in range(3):
        kernel[channel, channel] = 0.002
        kernel[channel, channel, 2, 2] = 0.952
    nodes = [
        helper.make_node("Sub", ["x", "cond"], ["noise"]),
        helper.make_node("Mul", ["noise", "keep"], ["kept"]),
        helper.make_node("Conv", ["cond", "kernel"], ["soft"], pads=[2, 2, 2, 2]),
        helper.make_node("Add", ["soft", "kept"], ["x0"]),
    ]
    if whole:
        nodes[-1] = helper.make_node("Add", ["soft", "kept"], ["near"])
        nodes.append(helper.make_node("GlobalAveragePool", ["noise"], ["mean"]))
        nodes.append(helper.make_node("Add", ["near", "mean"], ["x0"]))
    picture = ["n", 3, "height", "width"]
    given = [
        helper.make_tensor_value_info("x", TensorProto.FLOAT, picture),
        helper.make_tensor_value_info("cond", TensorProto.FLOAT, picture),
        helper.make_tensor_value_info("sigma", TensorProto.FLOAT, ["n"]),
    ]
    if words:
        given.append(helper.make_tensor_value_info("words", TensorProto.FLOAT, ["n", words]))
    if degradation:
        given.append(helper.make_tensor_value_info(degradation, TensorProto.FLOAT, ["n"]))
    made = [helper.make_tensor_value_info("x0", TensorProto.FLOAT, picture)]
    constants = [
        numpy_helper.from_array(kernel, "kernel"),
        numpy_helper.from_array(np.array([keep], np.float32), "keep"),
    ]
    graph = helper.make_graph(nodes, "made-up", given, made, constants)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=8)
    for name, value in (metadata or {}).items():
        model.metadata_props.add(key=name, value=json.dumps(value))
    onnx.save(model, path)
    return path
