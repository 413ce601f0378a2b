"""Drift: changes of the base's structure in the result, at the base's resolution."""

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from enamel.core.checks.findings import Finding, Kind, Map, Severity, regions
from enamel.core.checks.pairs import Pair, blurred, cell_means, eight_bits
from enamel.core.imaging.canvas import FloatArray

BLUR = 1.0
"""Both are blurred by this many px first: a result may be sharper than its base."""
WINDOW = 1.5
"""Standard deviation of the structural similarity's window, px."""
C1, C2 = 0.01**2, 0.03**2
"""Constants of the structural similarity for values as fractions of white."""
ALARM = 0.25
"""Loss of structural similarity, 1 − SSIM, above which a cell counts as changed."""
LEAST_CELLS = 4
CORNERS = 1500
SHIFT_ALARM = 1.0
"""Displacement of edges in px of the base above which they count as moved."""
LEAST_CORNERS = 4
MORE = 1.6
"""Ratio of contrast above which a change counts as new structure, below its inverse as lost."""


@dataclass(frozen=True)
class Drift:
    """The drift of structure, and its places."""

    similarity: float
    """Mean SSIM."""
    loss: FloatArray
    """1 − SSIM for each cell."""
    displacement: float
    """95th percentile of the displacement of corners, px of the base."""
    findings: tuple[Finding, ...]


def similarity(one: FloatArray, other: FloatArray) -> FloatArray:
    """SSIM at each px of two fields as fractions of white.

    Wang, Bovik, Sheikh & Simoncelli, "Image quality assessment: from error visibility to structural
    similarity", IEEE Trans. Image Processing 13, 2004, with a Gaussian window of 1.5 px.
    """
    mu, nu = blurred(one, WINDOW), blurred(other, WINDOW)
    one_variance = blurred(one * one, WINDOW) - mu * mu
    other_variance = blurred(other * other, WINDOW) - nu * nu
    covariance = blurred(one * other, WINDOW) - mu * nu
    structure = (2 * covariance + C2) / (one_variance + other_variance + C2)
    return ((2 * mu * nu + C1) / (mu * mu + nu * nu + C1) * structure).astype(np.float32)


def check_structure(pair: Pair) -> Drift:
    """Return where structure is new, lost or changed in the result, and where edges have moved."""
    base, result = blurred(pair.base_luma, BLUR), blurred(pair.result_luma, BLUR)
    ssim = similarity(base, result)
    loss = cell_means(1 - ssim)
    contrast_before, contrast_after = _contrast(base), _contrast(result)
    findings = []
    for box, value, inside in regions(loss, ALARM, LEAST_CELLS, pair.cell):
        ratio = float(contrast_after[inside].mean() / (contrast_before[inside].mean() + 1e-6))
        kind, words = _described(ratio)
        severity = Severity.of(value / ALARM * (1 + inside.sum() / 60))
        findings.append(Finding(kind, severity, box, value, "loss of structural similarity", words))
    shift, moved = _moved(pair)
    return Drift(float(ssim.mean()), loss, shift, (*findings, *moved))


def chart(drift: Drift) -> Map:
    return Map(drift.loss, "loss of structural similarity", ALARM)


def _described(ratio: float) -> tuple[Kind, str]:
    if ratio > MORE:
        return Kind.INVENTED, "Something new stands here that is not in the base."
    if ratio < 1 / MORE:
        return Kind.LOST, "What the base shows here is gone or flattened."
    return Kind.STRUCTURE, "Shapes here are not those of the base."


def _contrast(values: FloatArray) -> FloatArray:
    return cell_means(np.abs(values - blurred(values, 4.0)))


def _moved(pair: Pair) -> tuple[float, list[Finding]]:
    """Displacement of corners: 95th percentile, and places where several moved too far.

    Corners by Shi & Tomasi (CVPR 1994), tracked by pyramidal Lucas–Kanade and checked by tracking back.
    """
    before, after = (eight_bits(part) for part in (pair.base_luma, pair.result_luma))
    corners = cv2.goodFeaturesToTrack(before, CORNERS, 0.02, 7)
    if corners is None:
        return 0.0, []
    follow = partial(cv2.calcOpticalFlowPyrLK, winSize=(15, 15), maxLevel=2)
    there, found, _ = follow(before, after, corners, corners.copy())
    back, returned, _ = follow(after, before, there, there.copy())
    near = np.abs(back - corners).max(axis=(1, 2)) < 0.3
    sure = near & (found.ravel() > 0) & (returned.ravel() > 0)
    if not sure.any():
        return 0.0, []
    start = corners[sure, 0]
    length = np.hypot(*(there[sure, 0] - start).T)
    rows, columns = (-(-side // 32) for side in pair.result_luma.shape)
    place = (start // 32).astype(int)
    total, count = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
    np.add.at(total, (place[:, 1], place[:, 0]), length)
    np.add.at(count, (place[:, 1], place[:, 0]), 1)
    mean = np.where(count >= LEAST_CORNERS, total / np.maximum(count, 1), 0).astype(np.float32)
    cell = pair.scale[0] * 32, pair.scale[1] * 32
    findings = [
        Finding(Kind.STRUCTURE, Severity.of(value / SHIFT_ALARM), box, value, "px of the base",
                f"Edges have moved by {value:.1f} px of the base.")
        for box, value, _ in regions(mean, SHIFT_ALARM, 1, cell)
    ]  # fmt: skip
    return float(np.percentile(length, 95)), findings
