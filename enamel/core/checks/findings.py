"""Results of checks: findings in words, measures, maps, and a verdict in one line."""

import base64
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import FloatArray

VERSION = 3
"""Version of the stored form and the measures; reports of another version are made again."""
MOST_OF_A_KIND = 12
"""Most findings of one kind; the strongest are kept."""


class Kind(StrEnum):
    """Kinds of findings."""

    JOIN = "join"
    STRUCTURE = "structure"
    INVENTED = "invented"
    LOST = "lost"
    COLOUR = "colour"
    FACE = "face"
    HALO = "halo"
    BANDING = "banding"
    CLIPPING = "clipping"


class Severity(StrEnum):
    """How far a finding exceeds its threshold: under 1.5 times, under 2.5 times, more."""

    SLIGHT = "slight"
    CLEAR = "clear"
    STRONG = "strong"

    @classmethod
    def of(cls, times: float) -> "Severity":
        """Return the severity of a value, given as a multiple of its threshold."""
        if times < 1.5:
            return cls.SLIGHT
        return cls.CLEAR if times < 2.5 else cls.STRONG

    @property
    def rank(self) -> int:
        return list(Severity).index(self)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to look at. ``box`` in px of the result, ``value`` in ``unit``."""

    kind: Kind
    severity: Severity
    box: Box
    value: float
    unit: str
    words: str

    def to_json(self) -> dict[str, Any]:
        return {
            "kind": str(self.kind),
            "severity": str(self.severity),
            "box": [self.box.x, self.box.y, self.box.width, self.box.height],
            "value": round(self.value, 3),
            "unit": self.unit,
            "words": self.words,
        }

    @classmethod
    def from_json(cls, given: Mapping[str, Any]) -> "Finding":
        return cls(
            Kind(given["kind"]),
            Severity(given["severity"]),
            Box(*given["box"]),
            given["value"],
            given["unit"],
            given["words"],
        )


@dataclass(frozen=True, slots=True)
class Map:
    """A measure over the picture, for an overlay.

    ``values`` are (rows, columns) float32 in ``unit``; ``alarm`` is where findings begin.
    """

    values: FloatArray
    unit: str
    alarm: float

    LONGEST = 160
    """Cells along the longer side that are stored."""
    FULL = 2.0
    """Stored values are capped at this multiple of the alarm."""

    def to_json(self) -> dict[str, Any]:
        rows, columns = self.values.shape
        scale = min(1.0, self.LONGEST / max(rows, columns))
        fits = Size(columns, rows).scaled(scale)
        small = cv2.resize(self.values, fits, interpolation=cv2.INTER_AREA)
        levels = np.clip(np.rint(small * (255 / (self.FULL * self.alarm))), 0, 255).astype(np.uint8)
        return {
            "columns": fits[0],
            "rows": fits[1],
            "unit": self.unit,
            "alarm": self.alarm,
            "levels": base64.b64encode(levels.tobytes()).decode(),
        }


@dataclass(frozen=True, slots=True)
class Cure:
    """A change that makes joins less visible. ``work`` is the network's, as a multiple of the present."""

    words: str
    setting: str
    work: float


@dataclass(frozen=True)
class Report:
    """The report of checking a result against its base."""

    size: Size
    base: Size
    findings: tuple[Finding, ...]
    measures: Mapping[str, float]
    maps: Mapping[str, Map] = field(default_factory=dict)
    cures: tuple[Cure, ...] = ()
    seconds: float = 0.0

    @property
    def verdict(self) -> str:
        """The findings of each kind in one line, or that there are none."""
        return verdict(self.findings, self.measures)

    def to_json(self) -> dict[str, Any]:
        return {
            "version": VERSION,
            "size": list(self.size),
            "base": list(self.base),
            "verdict": self.verdict,
            "measures": {name: round(value, 4) for name, value in self.measures.items()},
            "findings": [finding.to_json() for finding in self.findings],
            "maps": {name: chart.to_json() for name, chart in self.maps.items()},
            "cures": [
                {"words": cure.words, "setting": cure.setting, "work": round(cure.work, 2)}
                for cure in self.cures
            ],
            "seconds": round(self.seconds, 2),
        }


NOTHING = "nothing found"


def verdict(findings: Iterable[Finding], measures: Mapping[str, float]) -> str:
    """Return findings counted in words: "2 joins visible, colour +1.8 ΔE warmer, 1 new face"."""
    counts = dict.fromkeys(Kind, 0)
    for finding in findings:
        counts[finding.kind] += 1
    parts = []
    if counts[Kind.JOIN]:
        parts.append(f"{_several(counts[Kind.JOIN], 'join')} visible")
    if measures.get("colour_shifted"):
        parts.append(f"colour +{measures['colour']:.1f} ΔE {tint(measures)}")
    elif counts[Kind.COLOUR]:
        parts.append(f"colour changed in {_several(counts[Kind.COLOUR], 'place')}")
    for name, words in (
        ("faces_new", "new"),
        ("faces_missing", "lost"),
        ("faces_changed", "changed"),
    ):
        if measures.get(name):
            parts.append(f"{_several(int(measures[name]), f'{words} face')}")
    for kind, words in (
        (Kind.STRUCTURE, "structure changed"),
        (Kind.INVENTED, "new detail"),
        (Kind.LOST, "detail lost"),
        (Kind.HALO, "halos"),
        (Kind.BANDING, "banding"),
    ):
        if counts[kind]:
            parts.append(f"{words} in {_several(counts[kind], 'place')}")
    if counts[Kind.CLIPPING]:
        parts.append(f"{measures['clipping']:.1f}\u00a0% more clipped")
    return ", ".join(parts) or NOTHING


def _several(count: int, word: str) -> str:
    more = f"{count}+" if count >= MOST_OF_A_KIND else str(count)
    return f"{more} {word}{'' if count == 1 else 's'}"


def tint(measures: Mapping[str, float]) -> str:
    """Return the direction of a shift in colour: the largest of lightness, saturation, warmth and redness."""
    directions = {
        ("lighter", "darker"): measures["lightness"],
        ("more saturated", "less saturated"): measures["saturation"],
        ("warmer", "cooler"): measures["warmth"],
        ("redder", "greener"): measures["redness"],
    }
    (up, down), value = max(directions.items(), key=lambda item: abs(item[1]))
    return up if value > 0 else down


def strongest(findings: Iterable[Finding]) -> list[Finding]:
    """Return the strongest of one kind, at most `MOST_OF_A_KIND`."""
    found = sorted(findings, key=lambda one: (-one.severity.rank, -abs(one.value)))
    return found[:MOST_OF_A_KIND]


def regions(
    values: FloatArray, alarm: float, least: int, scale: tuple[float, float]
) -> list[tuple[Box, float, NDArray[np.bool_]]]:
    """Connected regions of cells above an alarm.

    Parameters
    ----------
    values : (rows, columns) float32 of one value for each cell.
    least : cells that a region needs.
    scale : width and height of a cell in px of the result.

    Returns
    -------
    For each region, its box in px of the result, its mean value, and its cells as a mask.
    """
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (values > alarm).astype(np.uint8), connectivity=8
    )
    found = []
    for number in range(1, count):
        left, top, width, height, area = (int(part) for part in stats[number])
        if area < least:
            continue
        inside = labels == number
        box = Box.between(
            round(left * scale[0]),
            round(top * scale[1]),
            round((left + width) * scale[0]),
            round((top + height) * scale[1]),
        )
        found.append((box, float(values[inside].mean()), inside))
    return found
