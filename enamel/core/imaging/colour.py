"""Colour as people see it: CIE L*a*b* and the difference ΔE00."""

import numpy as np
from numpy.typing import NDArray

from enamel.core.imaging.canvas import WHITE, FloatArray, SampleArray

Lab = NDArray[np.float64]

# linear sRGB to XYZ under D65 (IEC 61966-2-1), divided by the white point's XYZ
_TO_XYZ = np.array(
    [
        [0.4124564, 0.3575761, 0.1804375],
        [0.2126729, 0.7151522, 0.0721750],
        [0.0193339, 0.1191920, 0.9503041],
    ]
)
_WHITE = _TO_XYZ.sum(axis=1)
_EPSILON = 216 / 24389  # CIE 15:2004, 8.2.1.1
_KAPPA = 24389 / 27


_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709-6, item 3.2


def rgb_of(written: str) -> tuple[int, int, int] | None:
    """Red, green and blue, 0 to 255, of a colour such as ``#f4f1e8``; None where it is none."""
    digits = written.removeprefix("#")
    if len(digits) != 6 or not set(digits.lower()) <= set("0123456789abcdef"):
        return None
    red, green, blue = bytes.fromhex(digits)
    return red, green, blue


def luma(values: FloatArray) -> FloatArray:
    """Return luma of encoded RGB values, (…) float32 from (…, 3)."""
    weighed: FloatArray = values @ _LUMA
    return weighed


def luma_of(samples: SampleArray) -> FloatArray:
    """Return luma of 16-bit samples (…, 3 or more), 0…1 float32; what follows the third channel is left
    out.
    """
    return luma(samples[..., :3].astype(np.float32) / np.float32(WHITE))


def to_light(samples: FloatArray) -> FloatArray:
    """16-bit sRGB values as linear light, 0…1 (IEC 61966-2-1)."""
    encoded = samples / np.float32(WHITE)
    light: FloatArray = np.where(
        encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4
    ).astype(np.float32)
    return light


def from_light(light: FloatArray) -> FloatArray:
    """Linear light 0…1 as 16-bit sRGB values, not yet rounded (IEC 61966-2-1)."""
    clipped = np.clip(light, 0, 1)
    encoded = np.where(clipped <= 0.0031308, clipped * 12.92, 1.055 * clipped ** (1 / 2.4) - 0.055)
    samples: FloatArray = (encoded * WHITE).astype(np.float32)
    return samples


def lab_of(samples: SampleArray) -> Lab:
    """16-bit sRGB samples (…, 3) as L* 0…100, a*, b*, D65, 2° observer (CIE 15:2004)."""
    encoded = samples[..., :3].astype(np.float64) / WHITE
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    xyz = linear @ _TO_XYZ.T / _WHITE
    f = np.where(xyz > _EPSILON, np.cbrt(xyz), (_KAPPA * xyz + 16) / 116)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])],
        axis=-1,
    )


def delta_e(one: Lab, other: Lab) -> NDArray[np.float64]:
    """ΔE00 of two fields of L*a*b* colours, (…) from (…, 3).

    CIEDE2000 (ISO/CIE 11664-6) as written out by Sharma, Wu & Dalal, "The CIEDE2000 color-difference
    formula", Color Research & Application 30, 2005, with kL = kC = kH = 1.
    """
    l1, a1, b1 = np.moveaxis(one, -1, 0)
    l2, a2, b2 = np.moveaxis(other, -1, 0)
    c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(c7 / (c7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0, (h2 - h1 + 180) % 360 - 180)
    dl, dc = l2 - l1, c2 - c1
    dhue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    l, c = (l1 + l2) / 2, (c1 + c2) / 2  # noqa: E741 - the paper's name
    far = np.abs(h1 - h2) > 180
    h = np.where(far, (h1 + h2 + np.where(h1 + h2 < 360, 360, -360)) / 2, (h1 + h2) / 2)
    h = np.where(grey, h1 + h2, h)
    t = (
        1
        - 0.17 * np.cos(np.radians(h - 30))
        + 0.24 * np.cos(np.radians(2 * h))
        + 0.32 * np.cos(np.radians(3 * h + 6))
        - 0.20 * np.cos(np.radians(4 * h - 63))
    )
    turn = 30 * np.exp(-(((h - 275) / 25) ** 2))
    rc = 2 * np.sqrt(c**7 / (c**7 + 25.0**7))
    sl = 1 + 0.015 * (l - 50) ** 2 / np.sqrt(20 + (l - 50) ** 2)
    sc, sh = 1 + 0.045 * c, 1 + 0.015 * c * t
    rotation = -np.sin(np.radians(2 * turn)) * rc
    difference: NDArray[np.float64] = np.sqrt(
        (dl / sl) ** 2 + (dc / sc) ** 2 + (dhue / sh) ** 2 + rotation * (dc / sc) * (dhue / sh)
    )
    return difference
