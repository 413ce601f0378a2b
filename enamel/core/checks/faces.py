"""Faces: those of the base found again in the result, changed, missing or new."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from enamel.core.checks.findings import Finding, Kind, Severity
from enamel.core.checks.pairs import Pair, blurred, cell_box, eight_bits
from enamel.core.faces.detection import SAME, detect_faces, shared
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import FloatArray, Picture

THERE = 0.12
"""Loss of structural similarity below which a place is unchanged, whatever the detector says: a face
found in one picture only is then in both.
"""
SIDE = 96
"""Px a side that faces are compared at."""
GEOMETRY_ALARM = 0.015
"""Movement of a face's parts against each other, as a fraction of its width, that counts as changed."""
CHANGED = 0.3
"""Loss of structural similarity within a face that counts as changed."""


@dataclass(frozen=True)
class Faces:
    """Counts for the measures, and what was found."""

    measures: dict[str, float]
    findings: tuple[Finding, ...]


def faces_of(picture: Picture) -> list[Box]:
    """Return boxes of the faces found in a picture."""
    return [face.box for face in detect_faces(picture)]


def check_faces(
    pair: Pair, loss: FloatArray, of_base: Sequence[Box], of_result: Sequence[Box]
) -> Faces:
    """Match the faces of both pictures, and return what has changed.

    Parameters
    ----------
    loss : 1 − SSIM of cells, from `structure.check_structure`.
    of_base, of_result : the faces that were found in each, in its own px.
    """
    scale = pair.result.size.width / pair.base.size.width
    before = [box.scaled(scale) for box in of_base]
    findings = []
    changed = missing = 0
    for box in before:
        if any(shared(box, other) > SAME for other in of_result):
            movement, here = _movement(pair, box), _loss(pair, loss, box)
            times = max(movement / GEOMETRY_ALARM, here / CHANGED)
            if times > 1:
                changed += 1
                fraction = 100 * movement
                words = (
                    f"This face has changed: its parts moved by {fraction:.1f}\u00a0% of its width."
                )
                findings.append(
                    Finding(Kind.FACE, Severity.of(times), box, movement, "of its width", words)
                )
        elif _loss(pair, loss, box) > THERE:
            missing += 1
            words = "The base has a face here, the result has none."
            findings.append(Finding(Kind.FACE, Severity.STRONG, box, 1, "face", words))
    new = [
        box
        for box in of_result
        if all(shared(box, other) <= SAME for other in before) and _loss(pair, loss, box) > THERE
    ]
    words = "A face that the base does not have."
    findings += [Finding(Kind.FACE, Severity.STRONG, box, 1, "face", words) for box in new]
    measures = {
        "faces": float(len(of_result)),
        "faces_new": float(len(new)),
        "faces_missing": float(missing),
        "faces_changed": float(changed),
    }
    return Faces(measures, tuple(findings))


def _loss(pair: Pair, loss: FloatArray, box: Box) -> float:
    """Return mean loss of similarity within the middle of a face's box."""
    inner = box.grown(-box.width // 8)
    return float(loss[cell_box(pair, inner)].mean())


def _movement(pair: Pair, box: Box) -> float:
    """Return how much parts of a face moved against each other: 97th percentile, as a fraction of its width.

    Dense flow by inverse search (Kroeger et al., "Fast optical flow using dense inverse search",
    ECCV 2016), less the affine movement of the face as a whole.
    """
    across, down = pair.scale
    left, top = max(0, int(box.x / across)), max(0, int(box.y / down))
    right, bottom = int(box.right / across), int(box.bottom / down)
    patches = [
        cv2.resize(
            eight_bits(whole[top:bottom, left:right]),
            (SIDE, SIDE),
            interpolation=cv2.INTER_AREA if right - left > SIDE else cv2.INTER_CUBIC,
        )
        for whole in (pair.base_luma, pair.result_luma)
    ]
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(*patches, None)  # type: ignore[call-overload]
    edge = SIDE // 8
    inside = slice(edge, SIDE - edge)
    y, x = np.mgrid[inside, inside]
    terms = np.stack([np.ones_like(x), x, y], axis=-1).reshape(-1, 3).astype(np.float64)
    moved = flow[inside, inside].reshape(-1, 2).astype(np.float64)
    # flow is meaningful only where there is contrast
    detail = blurred(np.abs(cv2.Laplacian(patches[0], cv2.CV_32F)), 2)
    weight = detail[inside, inside].ravel()
    sure = weight > np.median(weight)
    fit, *_ = np.linalg.lstsq(terms[sure], moved[sure], rcond=None)
    rest = np.hypot(*(moved[sure] - terms[sure] @ fit).T)
    return float(np.percentile(rest, 97)) / SIDE
