"""What a piece's workspace shows: which layer, against which, what is being done to it."""

import json
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.db.models import prefetch_related_objects
from django.forms import Form
from django.http import QueryDict

from enamel.core.errors import Refusal
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Size
from enamel.core.intake.subject import Subject
from enamel.core.networks.cards import spec_of
from enamel.core.pipeline.predict import CoatCost, Prediction
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.printing.sizing import Unit
from enamel.core.schedule import Coat, Mode, Refine, Schedule
from enamel.core.tiling.passes import tile_boxes, work_of
from enamel.core.tiling.words import Vocabulary, Word, understood
from enamel.kiln.firings import asking as firings
from enamel.kiln.mending import masks
from enamel.kiln.models import Firing, Layer, Piece, SchedulePreset, Suited
from enamel.studio.asked import whole_number
from enamel.studio.forms import (
    BaseForm,
    CoatForm,
    FinishForm,
    InlayForm,
    PrintFileForm,
    PrintForm,
    SheetForm,
    TouchUpForm,
)
from enamel.studio.shown.draft import Draft
from enamel.studio.shown.finishing import finish_shown
from enamel.studio.shown.mending import inlay_shown, touch_up_shown
from enamel.studio.shown.prints import file_shown, print_shown
from enamel.studio.shown.refiners import abilities, checkpoint_facts
from enamel.studio.shown.section import section

TASKS = {
    "print": "Print",
    "coat": "Coats",
    "touch-up": "Touch-up",
    "inlay": "Inlay",
    "finish": "Finish",
    "file": "File",
    "base": "Base",
}


SEEDED = ("coat", "touch-up")
"""Tasks with a seed, for which the one fired last can be taken again."""
LIVE = ("touch-up", "inlay", "finish")
WINDOW = 512
"""Side of the windows that are proposed for swatches, in px of the result."""
MOST_TILES_DRAWN = 3000
"""Grids of more tiles are told as a number only."""


@dataclass(frozen=True, slots=True)
class Row:
    """A coat in the list of them. Without size and cost when it is off."""

    number: int
    coat: Coat
    size: Size | None
    cost: CoatCost | None
    laid: bool
    """Whether its layer is there already and would be taken as it is."""


def draft_of(piece: Piece, number: str | None) -> Draft:
    """The piece's schedule with that coat as the current one; the first when there is none."""
    schedule = piece.schedule
    wanted = whole_number(number) or 0
    return Draft(schedule, min(wanted, len(schedule.coats) - 1))


def start_of(draft: Draft, base: Size) -> Size:
    """Size of what the current coat enlarges."""
    before = tuple(coat for coat in draft.schedule.coats[: draft.number] if coat.on)
    return Schedule(before).sizes(base)[-1] if before else base


def result_of(draft: Draft, base: Size) -> Size:
    """Size of what the current coat makes."""
    return draft.coat.size_from(start_of(draft, base))


def rows_of(piece: Piece, schedule: Schedule) -> list[Row]:
    """The coats of a schedule on the piece's base, each with its size and cost."""
    base = piece.base
    prediction = firings.predict_schedule(base, schedule)
    laid = len(firings.already_laid(base, schedule))
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
    """The form of the current coat."""
    start = start_of(draft, piece.base.size)
    return CoatForm.showing(draft.coat, start, piece.print_plan, masks.named(piece))


def changed_since_fired(piece: Piece, draft: Draft) -> dict[str, str]:
    """Fields of the current coat that differ from the schedule fired last, or from the one the piece
    began with, and what stood there then."""
    before = piece.last_fired or piece.starting_schedule
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
    """The tiles of a coat as the firing cuts them, as shares of the picture, in their order."""
    refine = coat.refinement
    if refine is None:
        return None
    spec = spec_of(refine)
    count = work_of(refine, spec, size).tiles
    drawn = tile_boxes(refine, spec, size) if count <= MOST_TILES_DRAWN else []
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
    """The prompts of a refinement, word by word, as a refiner of that vocabulary understands them."""
    prompts = [refine.prompt, *(region.prompt for region in refine.regions)]
    return [word for prompt in prompts for word in understood(prompt, known)]


def schedule_cost(piece: Piece, draft: Draft) -> dict[str, Any]:
    """What the current schedule makes and takes, for the page's list of coats and its sum."""
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
    """The tiles of each coat of a firing, and how much work comes before it, as JSON."""
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


def middle_window(workspace: "Workspace") -> str:
    """A window of 512 px in the middle of the current coat's result."""
    size = result_of(workspace.draft, workspace.layers[0].size)
    width, height = min(WINDOW, size.width), min(WINDOW, size.height)
    return f"{(size.width - width) // 2} {(size.height - height) // 2} {width} {height}"


class Workspace:
    """The workspace of a piece, with what was picked on it.

    Parameters
    ----------
    picked : ``layer`` and ``against``, ids of the layer to show and the one to compare it with (what
        can't be found falls back to the newest layer, and to the base); ``task``, which of `TASKS`
        is open; ``coat``, which coat of the schedule.
    form : a filled-in form of that task, to be shown again.
    """

    def __init__(
        self, piece: Piece, picked: QueryDict, unit: Unit, form: Form | None = None
    ) -> None:
        self.piece = piece
        self.picked = picked
        self.unit = unit
        prefetch_related_objects([piece], "masks")
        self.layers = list(piece.layers.order_by("created"))
        piece.base = self.layers[0]
        self.layer = self._found(picked.get("layer")) or self.layers[-1]
        task = picked.get("task", "coat")
        self.task = task if task in TASKS else "coat"
        # what is worked on live is seen whole, unless a wipe is asked for
        usual = self.layer if self.task in LIVE else self.layers[0]
        self.against = self._found(picked.get("against")) or usual
        self.form = form or self._form()
        self.firing = piece.firings.in_sight().select_related("start").first()

    @cached_property
    def draft(self) -> Draft:
        """The schedule with the current coat, for the tasks that ask for it."""
        return draft_of(self.piece, self.picked.get("coat"))

    def _found(self, asked: str | None) -> Layer | None:
        return next((layer for layer in self.layers if str(layer.pk) == asked), None)

    def _form(self) -> Form | None:
        size = self.layer.size
        if self.task == "coat":
            return coat_form(self.piece, self.draft)
        if self.task == "print":
            return PrintForm.showing(self.piece.print_plan, self.layers[0].size, self.unit)
        if self.task == "touch-up":
            return TouchUpForm(self._touch_up_values(), start=size)
        if self.task == "inlay":
            return InlayForm(InlayForm.starting(), under=self.layer)
        if self.task == "finish":
            return FinishForm.showing(self._recipe())
        if self.task == "file":
            return PrintFileForm(PrintFileForm.starting())
        if self.task == "base":
            return BaseForm.showing(self.piece)
        return None

    @property
    def changing(self) -> Layer | None:
        """The touch-up or finish that is being changed, where one is."""
        layer = self._found(self.picked.get("change"))
        return layer if layer and layer.kind == self.task else None

    def _recipe(self) -> Finish:
        """The finish that is being changed, else one with nothing on."""
        return Finish.from_json(self.changing.recipe["finish"]) if self.changing else Finish()

    def _touch_up_values(self) -> dict[str, Any]:
        settings = None
        if self.changing:
            settings = TouchUp.from_json(self.changing.recipe["touch_up"])
        subject = Subject(self.piece.subject)
        faces = bool(self.piece.faces_on(self.layer))
        _, refiner = Suited.to(subject, faces=faces)
        return TouchUpForm.starting(refiner, settings)

    def _consequences(self) -> dict[str, Any]:
        """What the current task would make and take."""
        if self.task == "coat":
            return self._coat_shown()
        if isinstance(self.form, TouchUpForm):
            return touch_up_shown(self.piece, self.layer, self.form, self.changing)
        if isinstance(self.form, PrintForm) and self.form.is_valid():
            try:
                return print_shown(self.piece, self.layer, self.form)
            except Refusal as refusal:
                self.form.add_error(None, str(refusal))
        if isinstance(self.form, InlayForm):
            return inlay_shown(self.piece, self.layer)
        if self.task == "finish":
            return finish_shown(self.piece, self.layer, self.changing)
        if isinstance(self.form, PrintFileForm):
            return file_shown(self.piece, self.layer, self.unit, self.form)
        return {}

    def _coat_shown(self) -> dict[str, Any]:
        """What the schedule makes and takes; why it can't be fired, when a model of it is gone."""
        try:
            return schedule_cost(self.piece, self.draft)
        except Refusal as refusal:
            return {"refused": str(refusal), "rows": [None] * len(self.draft.schedule.coats)}

    def _last_seed(self) -> int | None:
        """The seed fired last, to be taken again."""
        last = self.piece.firings.order_by("-created").first()
        return last.refine["seed"] if last and last.refine else None

    def shown(self) -> dict[str, Any]:
        """The template's context."""
        shown = self.firing.start if self.firing and self.firing.open else self.layer
        return self._consequences() | {
            "piece": self.piece,
            "unit": self.unit,
            "layers": self.layers,
            "layer": shown,
            "against": self.against,
            "comparing": self.against.pk != shown.pk,
            "section": section(self.layers, shown.pk),
            "task": self.task,
            "tasks": TASKS,
            "draft": self.draft if self.task == "coat" else None,
            "form": self.form,
            "firing": self.firing,
            "unattended": self.firing is not None and firings.unattended(self.firing),
            "grids": firing_grids(self.firing) if self.firing and self.firing.open else "",
            "trial": SheetForm(initial={"window": middle_window(self)})
            if self.task == "coat"
            else None,
            "sheets": self.piece.sheets.order_by("-pinned", "-created").prefetch_related(
                "swatches"
            )[:8],
            "presets": SchedulePreset.objects.filter(owner_id=self.piece.owner_id),
            "waiting": max(0, self.piece.firings.open().count() - 1) if self.firing else 0,
            "last_seed": self._last_seed() if self.task in SEEDED else None,
            "made_by": self.piece.firings.filter(result=shown, state=Firing.State.DONE).first()
            if shown.kind != Layer.Kind.BASE
            else None,
        }
