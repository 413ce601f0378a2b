"""Checks of layers: each against its piece's base, stored with it."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from enamel.core.checks import Tiled, check
from enamel.core.checks.findings import VERSION, Severity
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.pipeline.firing import materialise
from enamel.core.schedule import Coat
from enamel.core.upscaling import Enlarged, chosen
from enamel.firings.models import LayerCheck
from enamel.jobs.services import restart, submit_once
from enamel.library.layers import canvas_of
from enamel.library.models import Layer
from enamel.storage.scratch import temporary_folder


def submit_check(layer: Layer) -> LayerCheck:
    """Have a layer checked against its base; one whose check failed or was stopped is checked again.

    Returns
    -------
    The layer's check, which may have been submitted before.
    """
    submit_once(LayerCheck(layer=layer))
    check = LayerCheck.objects.get(layer=layer)
    if not layer.checked and not check.open:
        restart(check)
    return check


def check_layer(layer: Layer, enlarged: Path | None = None) -> None:
    """Measure a layer against the base and keep the report. Safe to repeat; the base has none.

    Parameters
    ----------
    enlarged : canvas of what its coat refined; made again when None.
    """
    if layer.checked or layer.kind == Layer.Kind.BASE:
        return
    base = layer.piece.base
    known = base.faces is not None and layer.faces is not None
    with canvas_of(base) as before, canvas_of(layer) as result, _tiled(layer, enlarged) as tiled:
        faces = (_boxes(base), _boxes(layer)) if known else None
        report = check(before, result, tiled, faces)
    layer.checks = report.to_json()
    layer.checked_by, layer.verdict_kept = VERSION, report.verdict[:200]
    layer.found = sum(one.severity is not Severity.SLIGHT for one in report.findings)
    layer.save(update_fields=["checks", "checked_by", "verdict_kept", "found"])


@contextmanager
def _tiled(layer: Layer, enlarged: Path | None) -> Iterator[Tiled | None]:
    """Provide a layer's tiling with what was refined; None for a layer without tiles."""
    given, parent = layer.recipe.get("coat"), layer.parent
    coat = Coat.from_json(given) if given else None
    if coat is None or parent is None or coat.refinement is None:
        yield None
        return
    with temporary_folder("check") as folder, canvas_of(parent) as start:
        if parent.size == layer.size:
            yield Tiled(coat, parent.size, start)
            return
        if enlarged is None:
            enlarged = folder / "enlarged.npy"
            lazy = Enlarged(start, layer.size, chosen(coat))
            materialise(lazy, Box.whole(layer.size), enlarged).close()
        with Canvas(enlarged) as refined:
            yield Tiled(coat, parent.size, refined)


def _boxes(layer: Layer) -> list[Box]:
    return [face.box for face in layer.found_faces]
