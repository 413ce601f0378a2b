"""What a piece's workspace shows: which layer, against which, what is being done to it."""

from dataclasses import dataclass
from typing import Any

from django.forms import Form
from django.http import QueryDict

from enamel.core.errors import Refusal
from enamel.core.geometry import Size
from enamel.core.planning import PlannedCoat, propose
from enamel.core.predict import CoatCost, Prediction
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.core.weights import card
from enamel.core.words import Vocabulary, Word, understood
from enamel.kiln import firings
from enamel.kiln.models import Firing, Layer, Piece
from enamel.studio.forms import CoatForm, PlanForm, PrintFileForm, TouchUpForm
from enamel.studio.schedules import Draft
from enamel.studio.section import section

TASKS = {
    "plan": "Plan",
    "coat": "Coats",
    "touch-up": "Touch-up",
    "print": "Print file",
    "base": "Base",
}


@dataclass(frozen=True, slots=True)
class Row:
    """A coat in the list of them. Without size and cost when it is off."""

    number: int
    coat: Coat
    size: Size | None
    cost: CoatCost | None
    laid: bool
    """Whether its layer is there already and would be taken as it is."""


@dataclass(frozen=True, slots=True)
class Step:
    """A proposed coat with its time, and the side of the square that stands for its pixels."""

    planned: PlannedCoat
    cost: CoatCost
    side: float


def draft_of(piece: Piece, number: str | None) -> Draft:
    """The piece's schedule with the coat of that number in hand; the first when there is none."""
    schedule = piece.schedule
    wanted = int(number) if number and number.isdecimal() else 0
    return Draft(schedule, min(wanted, len(schedule.coats) - 1))


def start_of(draft: Draft, base: Size) -> Size:
    """Size of what the coat in hand enlarges."""
    before = tuple(coat for coat in draft.schedule.coats[: draft.number] if coat.on)
    return Schedule(before).sizes(base)[-1] if before else base


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


def words_of(refine: Refine, known: Vocabulary) -> list[Word]:
    """The prompts of a refinement, word by word, as a refiner of that vocabulary understands them."""
    prompts = [refine.prompt, *(region.prompt for region in refine.regions)]
    return [word for prompt in prompts for word in understood(prompt, known)]


def schedule_cost(piece: Piece, draft: Draft) -> dict[str, Any]:
    """What the schedule in hand makes and takes, for the page's list of coats and its sum."""
    rows = rows_of(piece, draft.schedule)
    costs = [row.cost for row in rows if row.cost]
    total = Prediction(tuple(costs))
    left = Prediction(tuple(row.cost for row in rows if row.cost and not row.laid))
    refine = draft.coat.refine
    known = card(refine.model, "refiner").traits().vocabulary if refine else ()
    return {
        "piece": piece,
        "rows": rows,
        "number": draft.number,
        "size": costs[-1].size,
        "tiles": left.tiles,
        "seconds": left.seconds,
        "memory_mb": total.memory_mb,
        "disk_mb": total.disk_mb,
        "all_laid": not left.coats,
        "words": words_of(refine, known) if refine else [],
        "knows_words": bool(known),
        "refiner": refine.model if refine else "",
    }


class Bench:
    """The workspace of a piece, with what was picked on it.

    Parameters
    ----------
    picked : ``layer`` and ``against``, ids of the layer to show and the one to compare it with (what
        can't be found falls back to the newest layer, and to the base); ``task``, which of `TASKS`
        is in hand; ``coat``, which coat of the schedule.
    form : a filled-in form of that task, to be shown again.
    """

    def __init__(self, piece: Piece, picked: QueryDict, form: Form | None = None) -> None:
        self.piece = piece
        self.layers = list(piece.layers.order_by("created"))
        self.layer = self._found(picked.get("layer")) or self.layers[-1]
        self.against = self._found(picked.get("against")) or self.layers[0]
        task = picked.get("task", "coat")
        self.task = task if task in TASKS else "coat"
        self.draft = draft_of(piece, picked.get("coat"))
        self.form = form or self._form(picked)
        self.firing = piece.firings.in_sight().select_related("start").first()

    def _found(self, asked: str | None) -> Layer | None:
        return next((layer for layer in self.layers if str(layer.pk) == asked), None)

    def _form(self, picked: QueryDict) -> Form | None:
        size = self.layer.size
        if self.task == "coat":
            return CoatForm.showing(self.draft.coat, start_of(self.draft, self.layers[0].size))
        if self.task == "plan":
            given = picked if "sizing" in picked else PlanForm.starting()
            return PlanForm(given, start=self.layers[0].size)
        if self.task == "touch-up":
            return TouchUpForm(TouchUpForm.starting(size, self.layer.faces or []), start=size)
        if self.task == "print":
            return PrintFileForm(PrintFileForm.starting())
        return None

    def _consequences(self) -> dict[str, Any]:
        """What the task in hand would make and take."""
        if self.task == "coat":
            return schedule_cost(self.piece, self.draft)
        if isinstance(self.form, TouchUpForm) and self.form.is_valid():
            return {"cost": firings.predict_touch_up(self.layer, self.form.touch_up())}
        if isinstance(self.form, PlanForm) and self.form.is_valid():
            try:
                return self._plan(self.form.size())
            except Refusal as refusal:
                self.form.add_error(None, str(refusal))
        return {}

    def _last_seed(self) -> int | None:
        """The seed fired last, to be taken again."""
        last = self.piece.firings.order_by("-created").first()
        return last.refine["seed"] if last and last.refine else None

    def _plan(self, target: Size) -> dict[str, Any]:
        base = self.layers[0]
        first = self.draft.schedule.coats[0]
        planned = propose(base.size, target, first.refine, first.upscaler)
        schedule = Schedule(tuple(stage.coat for stage in planned))
        prediction = firings.predict_schedule(base, schedule)
        largest = max(stage.size.megapixels for stage in planned)
        steps = [
            Step(stage, cost, 120 * (stage.size.megapixels / largest) ** 0.5)
            for stage, cost in zip(planned, prediction.coats, strict=True)
        ]
        return {"steps": steps, "target": target, "cost": prediction}

    def shown(self) -> dict[str, Any]:
        """The template's context."""
        shown = self.firing.start if self.firing and self.firing.open else self.layer
        return self._consequences() | {
            "piece": self.piece,
            "layers": self.layers,
            "layer": shown,
            "against": self.against,
            "comparing": self.against.pk != shown.pk,
            "section": section(self.layers, shown.pk),
            "task": self.task,
            "tasks": TASKS,
            "draft": self.draft,
            "form": self.form,
            "firing": self.firing,
            "waiting": max(0, self.piece.firings.open().count() - 1),
            "last_seed": self._last_seed(),
            "made_by": self.piece.firings.filter(result=shown, state=Firing.State.DONE).first(),
        }
