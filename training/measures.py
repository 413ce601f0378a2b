"""Measures of results. Pictures are luma, (height, width) float in 0…1."""

import cv2
import numpy as np

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, SampleArray
from enamel.core.imaging.colour import luma
from enamel.core.upscaling import Enlarged, upscaler

OCTAVES = [(0.25, 0.5), (0.125, 0.25), (0.0625, 0.125)]
"""The three topmost octaves in cycles per px, the finest first: from half of Nyquist to Nyquist."""


def grey(samples: SampleArray) -> np.ndarray:
    """Luma of 16-bit samples."""
    return luma(samples[..., :3].astype(np.float32) / np.float32(65535)).astype(np.float64)


def to_samples(pixels: np.ndarray) -> SampleArray:
    """16-bit samples of 8-bit ones."""
    return pixels.astype(np.uint16) * np.uint16(257)


def enlarge(source: Picture, size: Size, name: str) -> SampleArray:
    """A picture at an exact size, by the upscaler of that name."""
    return Enlarged(source, size, upscaler(name)).read(Box.whole(size))


def psnr(one: np.ndarray, truth: np.ndarray) -> float:
    return float(-10 * np.log10(max(((one - truth) ** 2).mean(), 1e-10)))


def ssim(one: np.ndarray, truth: np.ndarray) -> float:
    """Structural similarity (Wang et al., IEEE TIP 13, 2004), Gaussian window of σ 1.5 px."""

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (11, 11), 1.5)

    a, b = mean(one), mean(truth)
    va, vb = mean(one**2) - a**2, mean(truth**2) - b**2
    ab = mean(one * truth) - a * b
    c1, c2 = 0.01**2, 0.03**2
    return float(
        (((2 * a * b + c1) * (2 * ab + c2)) / ((a**2 + b**2 + c1) * (va + vb + c2))).mean()
    )


def octaves(values: np.ndarray) -> np.ndarray:
    """Spectral energy of the three topmost octaves, the finest first."""
    faded = (values - values.mean()) * np.outer(
        np.hanning(values.shape[0]), np.hanning(values.shape[1])
    )
    power = np.abs(np.fft.fft2(faded)) ** 2
    y, x = (np.fft.fftfreq(side)[:, None] for side in values.shape)
    radius = np.hypot(y, x.T)
    return np.array([power[(radius > low) & (radius <= high)].sum() for low, high in OCTAVES])


def top_octave(values: np.ndarray) -> float:
    return float(octaves(values)[0])


COHERENT, STRONG = 0.9, 8 / 255
"""Coherence and strength of the structure tensor above which a place is a straight edge."""
STANDS_OUT = 12 / 255
"""How far a pixel is from the median of its 3 × 3 px to be a speck."""
LEAST_EDGE = 60
"""Pixels of straight edge that a picture needs, to be measured along them."""


def roughness(result: np.ndarray, truth: np.ndarray) -> float:
    """How edge_gradient_loss straight edges are, the truth's own at 1; NaN where the truth has too few.

    At pixels where the truth's structure tensor (gradient of luma blurred by 1 px, products blurred by
    2 px) is coherent and strong: the root mean square of the derivative along the edge over that across
    it, divided by the same of the truth.
    """
    y, x = np.gradient(cv2.GaussianBlur(truth, (0, 0), 1.0))
    xx, xy, yy = (cv2.GaussianBlur(product, (0, 0), 2.0) for product in (x * x, x * y, y * y))
    spread, total = np.sqrt((xx - yy) ** 2 + 4 * xy**2), xx + yy + 1e-12
    edge = (spread / total > COHERENT) & (np.sqrt(total) > STRONG)
    if np.count_nonzero(edge) < LEAST_EDGE:
        return float("nan")
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)[edge]

    def ratio(values: np.ndarray) -> float:
        down, right = (part[edge] for part in np.gradient(values))
        along = np.cos(angle) * down - np.sin(angle) * right
        across = np.cos(angle) * right + np.sin(angle) * down
        return float(np.sqrt((along**2).mean() / max((across**2).mean(), 1e-12)))

    return ratio(result) / max(ratio(truth), 1e-6)


def specks(result: np.ndarray, truth: np.ndarray) -> float:
    """Share of pixels that stand out of their neighbourhood, relative to the truth's."""

    def share(values: np.ndarray) -> float:
        median = cv2.medianBlur(values.astype(np.float32), 3)
        return float((np.abs(values - median) > STANDS_OUT).mean())

    return share(result) / max(share(truth), 1 / truth.size)


def low_psnr(one: np.ndarray, source: np.ndarray, sigma: float = 3.0) -> float:
    """PSNR of what a blur leaves of both: whether tone and large shapes are kept."""
    return psnr(cv2.GaussianBlur(one, (0, 0), sigma), cv2.GaussianBlur(source, (0, 0), sigma))


def character(values: np.ndarray) -> np.ndarray:
    """A texture's statistics: logarithms of its three topmost octaves, of the ratio of upright to level
    detail, and the skewness of its finest detail."""
    bands = np.log10(octaves(values) / values.size + 1e-9)
    down, across = np.gradient(values)
    lean = np.log10((across**2).mean() + 1e-9) - np.log10((down**2).mean() + 1e-9)
    fine = values - cv2.GaussianBlur(values, (0, 0), 1.0)
    skew = (fine**3).mean() / max((fine**2).mean() ** 1.5, 1e-12)
    return np.array([*bands, lean, 0.2 * skew])
