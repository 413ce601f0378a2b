"""ICC profiles made from primaries and a gamma, for files that specify their colour by these alone."""

import struct

import numpy as np

from enamel.core.imaging.canvas import FloatArray

D50 = np.array([0.9642, 1.0, 0.8249])
"""White of the profile connection space (ICC.1:2022, 7.2.16)."""
BRADFORD = np.array(
    [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]]
)
"""Cone responses for adapting white (ICC.1:2022, annex E)."""
SRGB_PRIMARIES = (0.3127, 0.329, 0.64, 0.33, 0.3, 0.6, 0.15, 0.06)
SRGB_GAMMA = 1 / 2.2
Chromaticities = tuple[float, ...]
"""x and y of white, red, green and blue, as PNG's cHRM chunk has them (PNG, third edition, 11.3.2.1)."""


def is_srgb(gamma: float, chromaticities: Chromaticities | None) -> bool:
    """Return whether PNG's gAMA and cHRM mean sRGB, to the precision they are usually written in."""
    same = chromaticities is None or np.allclose(chromaticities, SRGB_PRIMARIES, atol=0.01)
    return bool(same and abs(gamma - SRGB_GAMMA) < 0.01)


def matrix_profile(gamma: float, chromaticities: Chromaticities | None = None) -> bytes:
    """Return an ICC version 2 profile of a display: samples are light to the power of ``gamma``.

    Parameters
    ----------
    gamma : exponent that made samples from light, as in PNG's gAMA; 1 / 2.2 for a usual screen.
    chromaticities : white and primaries; those of sRGB when left out.
    """
    columns = _primaries(chromaticities or SRGB_PRIMARIES)
    curve = struct.pack(">4s4xIH", b"curv", 1, round(256 / gamma))
    words = b"made from gamma and primaries\0"
    tags = {
        b"desc": struct.pack(">4s4xI", b"desc", len(words)) + words + bytes(78),
        b"cprt": b"text\0\0\0\0" + b"none\0",
        b"wtpt": _xyz(D50),
        **{name: _xyz(column) for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns.T, strict=True)},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }  # fmt: skip
    table, body = struct.pack(">I", len(tags)), b""
    first = 128 + 4 + 12 * len(tags)
    for name, data in tags.items():
        table += struct.pack(">4sII", name, first + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    header = struct.pack(
        ">I4xI4s4s4s12x4s28x3I48x", first + len(body), 0x02400000, b"mntr", b"RGB ", b"XYZ ", b"acsp",
        *(round(value * 65536) for value in D50),
    )  # fmt: skip
    return header + table + body


def _primaries(chromaticities: Chromaticities) -> FloatArray:
    """Return columns of red, green and blue in XYZ, adapted to D50."""
    pairs = np.array(chromaticities, float).reshape(4, 2)
    xyz = np.stack([pairs[:, 0], pairs[:, 1], 1 - pairs.sum(1)]) / pairs[:, 1]
    white, inks = xyz[:, 0], xyz[:, 1:]
    matrix = inks * np.linalg.solve(inks, white)
    adapted = np.diag((BRADFORD @ D50) / (BRADFORD @ white))
    found: FloatArray = np.linalg.inv(BRADFORD) @ adapted @ BRADFORD @ matrix
    return found


def _xyz(values: FloatArray) -> bytes:
    return struct.pack(">4s4x3i", b"XYZ ", *(round(float(value) * 65536) for value in values))
