"""Submit sheets of swatches, predict them, suggest windows, stop and delete sheets."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any

from django.db import transaction

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box, Size
from enamel.core.pipeline.firing import coat_key, stages
from enamel.core.pipeline.predict import predict_window
from enamel.core.pipeline.sheets import Axis, Cell, around, cells, in_order
from enamel.core.pipeline.windows import LEAST_SIDE, MOST_PIXELS, moved_to_save, suggested
from enamel.core.schedule import Mix, Refine, Schedule, content_key
from enamel.firings.models import Timing
from enamel.firings.services import already_laid
from enamel.jobs import services as jobs
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from enamel.swatches.models import Swatch, SwatchSheet


def begin_on(base: Layer, schedule: Schedule) -> tuple[Layer, Schedule]:
    """Return the last existing layer before the tried coat, and the coats from there on."""
    before = schedule.laid[:-1]
    laid = already_laid(base, Schedule(before)) if before else []
    start = laid[-1] if laid else base
    return start, Schedule(schedule.laid[len(laid) :])


def submit_sheet(
    piece: Piece, schedule: Schedule, number: int, window: Box, axes: Sequence[Axis]
) -> SwatchSheet:
    """Submit a sheet of swatches of a schedule's last coat.

    Raises
    ------
    Refusal
        When the window or the values can't be used. Nothing is submitted then.
    """
    start, rest = begin_on(piece.base, schedule)
    size = rest.sizes(start.size)[-1]
    window = window.intersection(Box.whole(size))
    if min(window.size) < LEAST_SIDE or window.area > MOST_PIXELS:
        raise Refusal(
            f"The window, {window.size}, can't be tried; draw one from {LEAST_SIDE} px a side to "
            f"{MOST_PIXELS // 1_000_000} megapixels on the picture of {size}."
        )
    found = in_order(cells(rest.coats[-1], axes), axes, rest.coats[-1])
    with transaction.atomic():
        sheet = SwatchSheet.objects.create(
            piece=piece,
            start=start,
            schedule=rest.to_json(),
            coat=number,
            window=[window.x, window.y, window.width, window.height],
            axes=[{"name": axis.name, "values": list(axis.values)} for axis in axes],
            predicted_seconds=_predicted(start, rest, found, window),
        )
        for place, cell in enumerate(found):
            _place(sheet, rest, cell, place)
    return sheet


def _predicted(start: Layer, rest: Schedule, found: Sequence[Cell], window: Box) -> float:
    paces = Timing.objects.paces()
    tried = (Schedule((*rest.coats[:-1], cell.coat)) for cell in found)
    return sum(predict_window(schedule, start.size, window, paces) for schedule in tried)


@dataclass(frozen=True, slots=True)
class SheetCost:
    """Cost of a sheet, as it is and with its window moved a little to where fewer tiles touch it."""

    count: int
    seconds: float
    moved: Box | None
    """None where moving the window saves nothing."""
    moved_seconds: float


def predicted(piece: Piece, schedule: Schedule, window: Box, axes: Sequence[Axis]) -> SheetCost:
    """Return the number of swatches of a sheet, and about how long it takes."""
    start, rest = begin_on(piece.base, schedule)
    found = cells(rest.coats[-1], axes)
    size = rest.sizes(start.size)[-1]
    window = window.intersection(Box.whole(size))
    seconds = _predicted(start, rest, found, window)
    moved = moved_to_save(window, rest.coats[-1].refine, size)
    if moved == window:
        return SheetCost(len(found), seconds, None, seconds)
    return SheetCost(len(found), seconds, moved, _predicted(start, rest, found, moved))


def _place(sheet: SwatchSheet, rest: Schedule, cell: Cell, place: int) -> None:
    """Add a swatch to a sheet: copied from an earlier one of the same pixels, or put in the queue."""
    schedule = Schedule((*rest.coats[:-1], cell.coat))
    swatch = Swatch(
        sheet=sheet,
        place=place,
        row=cell.row,
        column=cell.column,
        label=cell.label,
        coat=to_json(cell.coat),
        content_key=_swatch_key(sheet, schedule),
    )
    known = Swatch.objects.same_as(swatch)
    if known:
        for name, value in known.results().items():
            setattr(swatch, name, value)
        swatch.state = Swatch.State.DONE
        swatch.save()
    else:
        jobs.submit(swatch)


def _swatch_key(sheet: SwatchSheet, schedule: Schedule) -> str:
    """Return the content key of a swatch: a hash of the coats' content keys and the window."""
    name, base = sheet.start.sha256, sheet.piece.base.sha256
    for stage in stages(schedule, sheet.start.size):
        name = coat_key(stage, name, base)
    return content_key(name, str(sheet.box))


def stop(sheet: SwatchSheet) -> None:
    """Stop a sheet: its running swatch ends after the current tile, waiting ones are not begun."""
    sheet.swatches.all().stop()


def stop_for_deletion(*, piece: Piece, **signal: Any) -> None:
    """Stop the sheets of a piece that is deleted."""
    Swatch.objects.filter(sheet__piece=piece).stop()


def delete(sheet: SwatchSheet) -> None:
    """Delete a sheet, and pixels that no other swatch uses."""
    stop(sheet)
    names = {
        swatch.pixels.name: swatch.pixels.storage
        for swatch in sheet.swatches.all()
        if swatch.pixels
    }
    sheet.delete()
    for name, storage in names.items():
        if not Swatch.objects.filter(pixels=name).exists():
            storage.delete(name)


def narrower(swatch: Swatch) -> list[Axis]:
    """Return axes for a narrower sheet around a swatch's values."""
    found = []
    for axis, place in zip(swatch.sheet.varied, (swatch.column, swatch.row), strict=False):
        found.append(around(axis, axis.values[place], span_of(axis.name)))
    return found


def span_of(name: str) -> tuple[float, float]:
    """Return the range of a setting that can be varied."""
    specs = {spec.name: spec.metadata for spec in (*fields(Refine), *fields(Mix))}
    known: Mapping[str, float] = specs.get(name, {})
    return known.get("low", 0.0), known.get("high", 1.0)


def suggestions(
    layer: Layer, size: Size, side: int, refine: Refine | None = None
) -> list[dict[str, Any]]:
    """Return suggested windows, in px of a picture of ``size`` made from a layer."""
    faces = [face.box for face in layer.found_faces]
    with canvas_of(layer) as canvas:
        found = suggested(canvas, size, side, faces, refine)
    return [{"words": words, "box": [box.x, box.y, *box.size]} for words, box in found]
