"""Tries an upscaler in 8-bit integers: `python -m training.quantise vitreous`. Reports, keeps nothing.

Static quantisation by ONNX Runtime, calibrated on training pictures; compared with the shipped file in
speed on one tile and in PSNR-Y on the test split.
"""

import argparse
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import onnxruntime
from onnxruntime.quantization import (
    CalibrationDataReader,
    QuantFormat,
    QuantType,
    quantize_static,
)  # fmt: skip
from onnxruntime.quantization.shape_inference import quant_pre_process

from enamel.core.weights import card
from training.evaluate import samples, small_of, squares
from training.measures import grey, psnr
from training.sources import CACHE

CALIBRATED_ON = 24
TILE = 132


class Patches(CalibrationDataReader):
    """Small pictures of the training split, one at a time."""

    def __init__(self, factor: int) -> None:
        pictures = squares(CACHE / "arrays" / "train", CALIBRATED_ON // 3)
        self.left = iter([planes(small_of(sharp, factor).samples) for sharp in pictures])

    def get_next(self) -> dict[str, np.ndarray] | None:
        patch = next(self.left, None)
        return None if patch is None else {"small": patch}


def planes(pixels: np.ndarray) -> np.ndarray:
    return (pixels.astype(np.float32) / 65535).transpose(2, 0, 1)[None]


def compare(name: str, count: int) -> None:
    entry = card(name, "upscaler")
    assert entry.factor is not None
    with tempfile.TemporaryDirectory() as folder:
        ready, small = Path(folder) / "ready.onnx", Path(folder) / "int8.onnx"
        quant_pre_process(str(entry.file), str(ready), skip_symbolic_shape=True)
        quantize_static(
            str(ready), str(small), Patches(entry.factor), quant_format=QuantFormat.QDQ,
            activation_type=QuantType.QUInt8, weight_type=QuantType.QInt8, per_channel=True,
        )  # fmt: skip
        pictures = squares(CACHE / "arrays" / "test", count)
        print(f"| {name} | MB | MP/s out | PSNR-Y |\n|---|---|---|---|")
        for kind, path in (("float32", entry.file), ("int8", small)):
            network = onnxruntime.InferenceSession(str(path), providers=["CPUExecutionProvider"])
            tile = np.random.default_rng(1).random((1, 3, TILE, TILE), np.float32)
            seconds = []
            for _ in range(9):
                began = time.perf_counter()
                network.run(None, {"small": tile})
                seconds.append(time.perf_counter() - began)
            rate = (TILE * entry.factor) ** 2 / 1e6 / statistics.median(seconds)
            scores = [
                psnr(luma_of(network, small_of(sharp, entry.factor).samples), grey(samples(sharp)))
                for sharp in pictures
            ]
            size = path.stat().st_size / 1e6
            print(f"| {kind} | {size:.2f} | {rate:.2f} | {np.mean(scores):.2f} dB |", flush=True)


def luma_of(network: onnxruntime.InferenceSession, small: np.ndarray) -> np.ndarray:
    (large,) = network.run(None, {"small": planes(small)})
    pixels = np.clip(np.rint(large[0].transpose(1, 2, 0) * 65535), 0, 65535).astype(np.uint16)
    return grey(pixels)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("name")
    parser.add_argument("--count", type=int, default=6)
    chosen = parser.parse_args()
    compare(chosen.name, chosen.count)
