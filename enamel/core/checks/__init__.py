"""Checks of a result against its base: joins, drift, colour, faces, detail. Measures and thresholds are
described in ``docs/research/checks.md``.
"""

import time
from collections.abc import Sequence
from dataclasses import dataclass

from enamel.core.checks import colours, detail, joins, structure
from enamel.core.checks.faces import check_faces, faces_of
from enamel.core.checks.findings import VERSION, Finding, Kind, Report, Severity, strongest
from enamel.core.checks.joins import ALARM, JoinReport, JoinSegment, check_joins
from enamel.core.checks.pairs import Pair
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture
from enamel.core.schedule import Coat, Mode
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of

__all__ = [
    "ALARM", "VERSION", "Finding", "JoinReport", "JoinSegment", "Kind", "Report", "Severity", "Tiled",
    "check", "check_joins",
]  # fmt: skip


@dataclass(frozen=True)
class Tiled:
    """The tiling of the coat that made a result."""

    coat: Coat
    start: Size
    """Size of what it enlarged."""
    enlarged: Picture
    """The picture that it refined: the enlarged one, of the result's size."""


def check(
    base: Picture,
    result: Picture,
    tiled: Tiled | None = None,
    faces: tuple[Sequence[Box], Sequence[Box]] | None = None,
) -> Report:
    """Return all measures of a result, and all findings.

    Memory does not grow with the pictures; both are read in strips.

    Parameters
    ----------
    base : the base; alpha is ignored.
    result : the layer to check, of the same shape at any size.
    tiled : the tiling of the coat that made the result; without it joins are not checked.
    faces : boxes of the base's and of the result's faces, each in its px, where they are known already;
        looking for them takes longer than all the rest.

    Raises
    ------
    Refusal
        When the two have different shapes.
    """
    began = time.perf_counter()
    pair = Pair(base, result)
    drift = structure.check_structure(pair)
    shift = colours.check_colour(pair)
    of_base, of_result = faces or (faces_of(base), faces_of(result))
    people = check_faces(pair, drift.loss, of_base, of_result)
    found = detail.check_detail(pair)
    seams = _joins(result, tiled)
    seen = joins.findings_of(seams)
    groups = [seen, drift.findings, shift.findings, people.findings, found.findings]
    findings = [
        finding
        for kind in Kind
        for finding in strongest(one for group in groups for one in group if one.kind is kind)
    ]
    measures = {
        "joins": float(len(seen)),
        "joins_worst": max((segment.score for segment in seams.segments), default=0.0),
        "joins_mean": seams.mean,
        "structure": drift.similarity,
        "displacement": drift.displacement,
        **shift.measures,
        **people.measures,
        **found.measures,
    }
    maps = {
        "structure": structure.chart(drift),
        "colour": colours.chart(shift),
        **detail.charts(found),
    }
    if seams.segments:
        maps["joins"] = joins.chart(seams, result.size)
    return Report(
        result.size,
        base.size,
        tuple(sorted(findings, key=lambda one: -one.severity.rank)),
        measures,
        maps,
        joins.cures(tiled.coat, tiled.start) if tiled and seen else (),
        time.perf_counter() - began,
    )


def _joins(result: Picture, tiled: Tiled | None) -> JoinReport:
    """Return the visible joins of a coat."""
    refine = tiled.coat.refinement if tiled else None
    if tiled is None or refine is None:
        return JoinReport(())
    spec = PassSpec.of(refine, result.size)
    if refine.mode is Mode.JOINT and not spec.blends:
        return JoinReport(
            ()
        )  # nothing was joined: whatever is conspicuous there belongs to the picture
    return check_joins(result, tiled.enlarged, grid_of(spec))
