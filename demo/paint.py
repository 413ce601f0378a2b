"""Painting with arrays: backgrounds, foliage, steam, tone. Pictures are linear float32 until `develop`."""

import cv2
import numpy as np


def octaves(shape, scale, seed, count=6, stretch=(1.0, 1.0), gain=0.55):
    """Smooth random field in 0…1: noise of ``count`` sizes, the largest ``scale`` px."""
    rng = np.random.default_rng(seed)
    height, width = shape
    total = np.zeros(shape, np.float32)
    weight = 1.0
    for _ in range(count):
        rows = max(2, int(height / (scale * stretch[1])) + 3)
        columns = max(2, int(width / (scale * stretch[0])) + 3)
        grid = rng.random((rows, columns)).astype(np.float32)
        total += weight * cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
        weight *= gain
        scale = max(scale / 2, 1.5)
    low, high = np.percentile(total, [1, 99])
    return np.clip((total - low) / (high - low), 0, 1)


def over(below, colour, cover):
    """Lay a colour or picture over another by a cover in 0…1."""
    return below + (np.asarray(colour, np.float32) - below) * cover[..., None]


def linear(*rgb):
    """A colour given in sRGB values 0…255, in linear light."""
    return np.array([(v / 255) ** 2.2 for v in rgb], np.float32)


def gradient(shape, top, bottom, power=1.0):
    """Picture running from one colour at the top to another at the bottom."""
    ramp = (np.linspace(0, 1, shape[0], dtype=np.float32) ** power)[:, None, None]
    return np.broadcast_to(top + (bottom - top) * ramp, (*shape, 3)).astype(np.float32).copy()


def foliage(picture, mask, colours, size, count, seed, light=(-0.5, -0.8)):
    """Scatter leaves over the mask, dark and deep ones first, lit ones last."""
    rng = np.random.default_rng(seed)
    rows, columns = np.nonzero(mask > 0.3)
    if not len(rows):
        return picture
    clumps = octaves(mask.shape, size * 14, seed + 1, 4)
    fixed = 4
    for depth in np.linspace(0, 1, 5):
        chosen = rng.integers(0, len(rows), int(count / 5))
        for index in chosen:
            y, x = int(rows[index]), int(columns[index])
            tone = 0.25 + 0.9 * clumps[y, x] * (0.35 + 0.65 * depth)
            angle = rng.uniform(0, 180)
            facing = abs(
                np.cos(np.radians(angle)) * light[0] + np.sin(np.radians(angle)) * light[1]
            )
            shade = tone * (0.55 + 0.6 * facing) * rng.uniform(0.8, 1.2)
            colour = colours[rng.integers(len(colours))] * shade
            length = size * rng.uniform(0.6, 1.3)
            axes = (int(length * 2**fixed), int(length * rng.uniform(0.3, 0.5) * 2**fixed))
            cv2.ellipse(
                picture, (x << fixed, y << fixed), axes, angle, 0, 360,
                tuple(float(v) for v in colour), -1, cv2.LINE_AA, fixed,
            )  # fmt: skip
    return picture


def blurred(picture, sigma):
    return cv2.GaussianBlur(picture, (0, 0), sigma)


def bloom(picture, threshold, sigma, amount):
    """Light spilling from the brightest parts."""
    bright = np.maximum(picture - threshold, 0)
    return picture + amount * (blurred(bright, sigma) + 0.5 * blurred(bright, sigma * 3))


def develop(picture, exposure=1.0, warmth=0.0, seed=1, brush=0.02):
    """Linear light to sRGB 8-bit: filmic curve, a little warmth, vignette, the tooth of the paper."""
    x = np.maximum(picture * exposure, 0)
    x = (x * (2.51 * x + 0.03)) / (x * (2.43 * x + 0.59) + 0.14)  # ACES-like curve (Narkowicz 2015)
    x = np.clip(x, 0, 1) ** (1 / 2.2)
    x *= np.array([1 + warmth, 1.0, 1 - warmth], np.float32)
    height, width = x.shape[:2]
    v, u = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j].astype(np.float32)
    x *= (1 - 0.16 * np.clip(u * u + v * v, 0, 2))[..., None]
    stroke = octaves((height, width), 9, seed, 2, (5.0, 0.7)) - 0.5
    grain = np.random.default_rng(seed).normal(0, 0.008, (height, width)).astype(np.float32)
    x += (brush * stroke + grain)[..., None]
    return (np.clip(x, 0, 1) * 255 + 0.5).astype(np.uint8)
