"""Measures a refiner in 8-bit integers: `python -m training.quantise grisaille`. It stores nothing.

NNCF's static quantisation, calibrated on noisy pairs of the bank, with the outermost layers left in floats;
compared with the shipped file in speed on a tile of 512 px and in PSNR of the
plain estimate on test pairs. Needs `pip install nncf==3.4.0` beside what training needs.
"""

import argparse

import nncf
import numpy as np
import openvino

from enamel.core.networks.cards import card
from enamel.core.networks.runtimes import EARLIER_INPUTS
from enamel.core.timing import medians_in_turn
from training.bank import BANK

CALIBRATION_PAIRS = TEST_PAIRS = 24
TILE = 512
SETTINGS = {"PERFORMANCE_HINT": "LATENCY", "INFERENCE_PRECISION_HINT": "f32"}


def states(split: str, count: int, words: int) -> list[tuple[dict[str, np.ndarray], np.ndarray]]:
    """Inputs as in the middle of a pass, with the truth, from pairs of the bank."""
    rng = np.random.default_rng(1)
    paths = sorted((BANK / split).glob("*/*.npy"))
    found = []
    for path in paths[:: max(1, len(paths) // count)][:count]:
        planes = np.load(path).astype(np.float32).transpose(0, 3, 1, 2) / 127.5 - 1
        sharp, start = planes[:1], planes[1:]
        degradation = np.float32(rng.random())
        sigma = np.float32(np.exp(rng.normal(-2.0, 1.0)).clip(0.03, 1.0))
        noise = rng.standard_normal(sharp.shape).astype(np.float32)
        x = sharp + degradation * (start - sharp) + sigma * noise
        found.append((inputs(x, start, sigma, words, degradation), sharp))
    return found


def inputs(
    x: np.ndarray, cond: np.ndarray, sigma: np.float32, words: int, degradation: np.float32
) -> dict[str, np.ndarray]:
    return {
        "x": x, "cond": cond, "sigma": np.array([sigma]), "degradation": np.array([degradation]),
        "words": np.zeros((1, words), np.float32),
    }  # fmt: skip


def compare(name: str) -> None:
    """Print speed and PSNR of the network in floats and in 8-bit integers."""
    entry = card(name, "refiner")
    words = len(entry.vocabulary)
    core = openvino.Core()
    model = core.read_model(entry.file)
    for port in model.inputs:
        port.get_tensor().set_names({EARLIER_INPUTS.get(port.any_name, port.any_name)})
    layers = [op for op in model.get_ordered_ops() if op.get_type_name() == "Convolution"]
    outermost = [layer.get_friendly_name() for layer in (layers[0], layers[-1])]
    calibration = [given for given, _ in states("train", CALIBRATION_PAIRS, words)]
    small = nncf.quantize(
        model, nncf.Dataset(calibration), subset_size=CALIBRATION_PAIRS,
        ignored_scope=nncf.IgnoredScope(names=outermost),
    )  # fmt: skip
    plain, whole = (
        core.compile_model(one, "CPU", SETTINGS).create_infer_request() for one in (model, small)
    )
    rng = np.random.default_rng(2)
    tile = rng.standard_normal((1, 3, TILE, TILE)).astype(np.float32)
    given = inputs(tile, tile, np.float32(0.2), words, np.float32(0.5))
    seconds = medians_in_turn(lambda: plain.infer(given), lambda: whole.infer(given), times=9)
    print(f"| {name} | MP/s | PSNR of the estimate |\n|---|---|---|")
    for kind, network, took in zip(("float32", "int8"), (plain, whole), seconds, strict=True):
        scores = [
            -10 * np.log10(((network.infer(state)[0] - truth) ** 2).mean() / 4)
            for state, truth in states("test", TEST_PAIRS, words)
        ]
        print(f"| {kind} | {TILE**2 / 1e6 / took:.2f} | {np.mean(scores):.2f} dB |")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name")
    compare(parser.parse_args().name)
