"""The panel of coats: the coats of a schedule, each one's result and cost, and what has changed."""

import json
from dataclasses import dataclass
from typing import Any

from enamel.core.geometry import Size
from enamel.core.networks.cards import spec_of
from enamel.core.pipeline.predict import CoatCost, Prediction
from enamel.core.schedule import Coat, Mode, Refine, Schedule
from enamel.core.tiling.passes import tile_boxes, work_of
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.words import Vocabulary, Word, understood
from enamel.firings import services
from enamel.firings.draft import Draft
from enamel.firings.forms.coat import CoatForm
from enamel.firings.models import Firing
from enamel.firings.presenters.refiners import abilities, checkpoint_facts
from enamel.library import masks
from enamel.library.models import Piece
from enamel.web.parameters import whole_number

MOST_TILES_DRAWN = 3000
"""Of grids with more tiles only their number is shown."""


@dataclass(frozen=True, slots=True)
class Row:
    """A coat in the list of coats. Without size and cost when it is off."""

    number: int
    coat: Coat
    size: Size | None
    cost: CoatCost | None
    laid: bool
    """Whether its layer exists already and would be used as it is."""


def draft_of(piece: Piece, number: str | None) -> Draft:
    """Return the piece's schedule with that coat as the current one; the first coat when it doesn't exist."""
    schedule = piece.schedule
    wanted = whole_number(number) or 0
    return Draft(schedule, min(wanted, len(schedule.coats) - 1))


def start_of(draft: Draft, base: Size) -> Size:
    """Return the size of the picture that the current coat enlarges."""
    before = tuple(coat for coat in draft.schedule.coats[: draft.number] if coat.on)
    return Schedule(before).sizes(base)[-1] if before else base


def result_of(draft: Draft, base: Size) -> Size:
    """Return the size of the current coat's result."""
    return draft.coat.size_from(start_of(draft, base))


def rows_of(piece: Piece, schedule: Schedule) -> list[Row]:
    """Return the coats of a schedule on the piece's base, each with its size and cost."""
    base = piece.base
    prediction = services.predict_schedule(base, schedule)
    laid = len(services.already_laid(base, schedule))
    rows, place = [], 0
    for number, coat in enumerate(schedule.coats):
        if not coat.on:
            rows.append(Row(number, coat, None, None, False))
            continue
        cost = prediction.coats[place]
        rows.append(Row(number, coat, cost.size, cost, place < laid))
        place += 1
    return rows


def coat_form(piece: Piece, draft: Draft) -> CoatForm:
    """Return the form of the current coat."""
    start = start_of(draft, piece.base.size)
    return CoatForm.showing(draft.coat, start, piece.print_plan, masks.named(piece))


def changed_since_fired(piece: Piece, draft: Draft) -> dict[str, str]:
    """Return the fields of the current coat that differ from the schedule fired last, or from the
    starting schedule, with their earlier values.
    """
    before = services.last_schedule(piece) or piece.starting_schedule
    if draft.number >= len(before.coats):
        return {}
    start = start_of(draft, piece.base.size)
    known = masks.named(piece)
    then = CoatForm.values(before.coats[draft.number], start, known)
    now = CoatForm.values(draft.coat, start, known)
    kept = {"width", "height"} if now["sizing"] == "factor" else {"factor"}
    return {
        name: "" if then[name] is None else str(then[name])
        for name in now
        if name not in kept and then[name] != now[name]
    }


def tile_grid(coat: Coat, size: Size) -> dict[str, Any] | None:
    """Return the tiles of a coat in their order, as fractions of the picture."""
    refine = coat.refinement
    if refine is None:
        return None
    spec = PassSpec.of(refine, size)
    count = work_of(spec).tiles
    drawn = tile_boxes(spec) if count <= MOST_TILES_DRAWN else []
    return {
        "count": count,
        "tiles": [
            [
                round(box.x / size.width, 5),
                round(box.y / size.height, 5),
                round(box.width / size.width, 5),
                round(box.height / size.height, 5),
            ]
            for box in drawn
        ],
    }


def words_of(refine: Refine, known: Vocabulary) -> list[Word]:
    """Return the prompts of a refinement, word by word, as a refiner of that vocabulary understands them."""
    prompts = [refine.prompt, *(region.prompt for region in refine.regions)]
    return [word for prompt in prompts for word in understood(prompt, known)]


def schedule_cost(piece: Piece, draft: Draft) -> dict[str, Any]:
    """Return result and cost of each coat of the current schedule, and in total."""
    rows = rows_of(piece, draft.schedule)
    costs = [row.cost for row in rows if row.cost]
    total = Prediction(tuple(costs))
    left = Prediction(tuple(row.cost for row in rows if row.cost and not row.laid))
    refine = draft.coat.refine
    spec = spec_of(refine) if refine else None
    known = spec.vocabulary if spec else ()
    own = next((row for row in rows if row.number == draft.number), None)
    return {
        "piece": piece,
        "rows": rows,
        "own": own,
        "changed": json.dumps(changed_since_fired(piece, draft)),
        "grid": json.dumps(tile_grid(draft.coat, result_of(draft, piece.base.size))),
        "undoable": piece.undoable,
        "number": draft.number,
        "size": costs[-1].size,
        "tiles": left.tiles,
        "seconds": left.seconds,
        "memory_mb": total.memory_mb,
        "disk_mb": total.disk_mb,
        "all_laid": not left.coats,
        "newest": piece.layers.order_by("-created").first(),
        "words": words_of(refine, known) if refine else [],
        "knows_words": bool(known),
        "abilities": abilities(refine),
        "checkpoint": checkpoint_facts(refine),
        "restores_detail": spec is not None and spec.restores_detail,
        "refiner": refine.model if refine else "",
    }


def firing_grids(firing: Firing) -> str:
    """Return the tiles of each coat of a firing, and the amount of work before it, as JSON."""
    if firing.work != Firing.Work.SCHEDULE:
        return "[]"
    schedule = firing.schedule()
    grids, before = [], 0
    costs = firing.predicted["coats"]
    for coat, size, cost in zip(
        schedule.laid, schedule.sizes(firing.start.size), costs, strict=True
    ):
        alone = coat.refine is not None and coat.refine.mode is Mode.SEPARATE
        grids.append((tile_grid(coat, size) or {"tiles": []}) | {"before": before, "alone": alone})
        before += cost["tasks"]
    return json.dumps(grids)
