"""Upscalers from elsewhere: added when they can be run, refused with the reason when not."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import onnx
import pytest
from onnx import TensorProto, helper, numpy_helper

from enamel.core.errors import Refusal
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Pixels
from enamel.core.networks.intake import accept
from enamel.core.networks.runtimes import Runtime
from enamel.core.pipeline.firing import fire
from enamel.core.schedule import Coat, Mix, Schedule
from enamel.core.upscaling import Enlarged, upscaler, upscaler_names
from enamel.core.upscaling.onnx import CELL
from tests.pictures import STATIONMASTER, assert_same_pixels, part, portrait, whole

SOFT = np.zeros((3, 3, 5, 5), np.float32)
for channel in range(3):
    SOFT[channel, channel] = 0.01
    SOFT[channel, channel, 2, 2] = 0.76


def network(
    path: Path,
    *,
    factor: float = 2,
    channels: int = 3,
    layout: str = "NCHW",
    sides: tuple[Any, Any] = ("height", "width"),
    bias: float = 0.0,
    everywhere: bool = False,
    inputs: int = 1,
) -> Path:
    """A made-up upscaler: a soft 5 × 5 filter, pixels repeated, and what is asked for besides."""
    kernel = SOFT if channels == 3 else SOFT[:1, :1]
    planes = ["small"]
    nodes = []
    if layout == "NHWC":
        nodes.append(helper.make_node("Transpose", ["small"], ["planes"], perm=[0, 3, 1, 2]))
        planes = ["planes"]
    nodes += [
        helper.make_node("Conv", [planes[0], "kernel", "bias"], ["soft"], pads=[2, 2, 2, 2]),
        helper.make_node("Resize", ["soft", "", "scales"], ["grown"], mode="nearest"),
    ]
    last = "grown"
    if everywhere:
        nodes += [
            helper.make_node("GlobalAveragePool", ["grown"], ["mean"]),
            helper.make_node("Mul", ["mean", "little"], ["bit"]),
            helper.make_node("Add", ["grown", "bit"], ["tinted"]),
        ]
        last = "tinted"
    if layout == "NHWC":
        nodes.append(helper.make_node("Transpose", [last], ["out"], perm=[0, 2, 3, 1]))
        last = "out"
    nodes.append(helper.make_node("Identity", [last], ["large"]))
    shape = [1, channels, *sides] if layout == "NCHW" else [1, *sides, channels]
    given = [helper.make_tensor_value_info("small", TensorProto.FLOAT, shape)]
    given += [
        helper.make_tensor_value_info(f"more{n}", TensorProto.FLOAT, [1]) for n in range(inputs - 1)
    ]
    made = [helper.make_tensor_value_info("large", TensorProto.FLOAT, None)]
    constants = {
        "kernel": kernel,
        "bias": np.full(channels, bias, np.float32),
        "scales": np.array([1, 1, factor, factor], np.float32),
        "little": np.array([0.05], np.float32),
    }
    graph = helper.make_graph(
        nodes, "made-up", given, made,
        [numpy_helper.from_array(value, name) for name, value in constants.items()],
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=8)
    onnx.save(model, path)
    return path


def test_a_network_is_understood_by_looking_and_by_trying(tmp_path: Path) -> None:
    found = accept(network(tmp_path / "a.onnx"))
    assert found.pop("runtime") in set(Runtime)
    assert found == {
        "kind": "upscaler",
        "factor": 2,
        "upscaler": {
            "input": "small", "output": "large", "layout": "NCHW", "grid": 1, "fixed": None,
            "range": 1, "radius": 2,
        },
    }  # fmt: skip


def test_other_layouts_ranges_sizes_and_factors(tmp_path: Path) -> None:
    assert accept(network(tmp_path / "a.onnx", layout="NHWC"))["upscaler"]["layout"] == "NHWC"
    assert accept(network(tmp_path / "b.onnx", bias=4.0))["upscaler"]["range"] == 255
    assert accept(network(tmp_path / "c.onnx", sides=(240, 256)))["upscaler"]["fixed"] == [240, 256]
    assert accept(network(tmp_path / "d.onnx", factor=4))["factor"] == 4


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"everywhere": True}, "looks .* far or at the whole picture"),
        ({"channels": 1}, "three, RGB"),
        ({"inputs": 2}, "2 inputs"),
        ({"factor": 1.5}, "the factor has to be one of"),
        ({"bias": 900.0}, "does not seem to be an upscaler"),
    ],
)
def test_what_can_not_be_run_is_refused_with_the_reason(
    tmp_path: Path, more: dict[str, Any], words: str
) -> None:
    with pytest.raises(Refusal, match=words):
        accept(network(tmp_path / "a.onnx", **more))


def test_a_file_that_is_no_network_is_refused(tmp_path: Path) -> None:
    (tmp_path / "a.onnx").write_bytes(b"words, not a graph")
    with pytest.raises(Refusal, match="not an ONNX file"):
        accept(tmp_path / "a.onnx")


@pytest.fixture
def shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder of models with three made-up upscalers beside the shipped refiner."""
    folder = tmp_path / "weights"
    folder.mkdir()
    for name, more in {
        "soft": {}, "fixed": {"sides": (128, 112), "layout": "NHWC"}, "far": {"bias": 4.0},
    }.items():  # fmt: skip
        path = network(folder / f"{name}.onnx", **more)  # type: ignore[arg-type]
        card = {"name": name, "summary": "Made up."} | accept(path)
        path.with_suffix(".json").write_text(json.dumps(card))
    monkeypatch.setenv("ENAMEL_WEIGHTS", str(folder))
    return folder


@pytest.mark.parametrize("name", ["soft", "fixed", "far"])
def test_windows_are_exact_at_any_size(shelf: Path, name: str) -> None:
    assert name in upscaler_names()
    source = part(STATIONMASTER, Box(250, 250, CELL + 37, CELL + 5))
    for size in (Size(266, 202), Size(300, 228), Size(500, 380), Size(90, 68)):
        enlarged = Enlarged(source, size, upscaler(name))
        complete = whole(enlarged)
        assert complete.shape == (size.height, size.width, 3)
        for window in (Box(0, 0, 20, 30), Box(size.width // 2 - 9, size.height // 2, 40, 31)):
            fresh = Enlarged(source, size, upscaler(name))
            assert_same_pixels(fresh.read(window), complete[window.slices])
            reach = upscaler(name).reach(source.size, size, window)
            known = Pixels(source.read(reach), (reach.x, reach.y), source.size)
            alone = Enlarged(known, size, upscaler(name))
            assert_same_pixels(alone.read(window), complete[window.slices])


def test_cells_leave_no_trace(shelf: Path) -> None:
    """What comes of cells is what the network makes of the whole at once."""
    source = part(STATIONMASTER, Box(250, 250, 3 * CELL + 10, 2 * CELL + 50))
    model = upscaler("soft")
    size = Size(source.size.width * 2, source.size.height * 2)
    by_cells = whole(Enlarged(source, size, model)).astype(int)
    at_once = model.run(whole(source))  # type: ignore[attr-defined]
    assert abs(by_cells - at_once).max() <= 1


def test_two_upscalers_mixed_lie_between(shelf: Path, tmp_path: Path) -> None:
    def made(coat: Coat) -> np.ndarray:
        fired = fire(portrait(), Schedule((coat,)), tmp_path / "work")
        return whole(fired.result).astype(float)

    first = made(Coat(factor=2, upscaler="soft"))
    second = made(Coat(factor=2, upscaler="lanczos"))
    mix = made(Coat(factor=2, upscaler="soft", mix=Mix("lanczos", 0.25)))
    np.testing.assert_allclose(mix, 0.75 * first + 0.25 * second, atol=0.51)
