"""The pages of batches: pictures to choose from, and sources beside results."""

from collections import Counter
from collections.abc import Iterable
from typing import Any
from uuid import UUID

from django.template.defaultfilters import pluralize
from django.urls import reverse
from django.utils import timezone

from enamel.batches.models import Batch, BatchItem
from enamel.catalogue.models import SUBJECTS
from enamel.core.pipeline.treatment import Treatment
from enamel.library.models import Piece
from enamel.library.models.layers import Layer

COLUMNS = ("place", "source", "state", "reason", "width", "height", "seconds", "files", "ended")
"""Columns of the table of results."""


def present_batch(batch: Batch, only: str = "") -> dict[str, Any]:
    """Return the page of a batch, or of its pictures in one state."""
    items = list(batch.items.with_all())
    bases = _bases_of(items)
    count = Counter(str(item.state) for item in items)
    left = sum(_seconds_left(item) for item in items)
    states = BatchItem.State
    waiting = (item.pk for item in items if item.state == states.WAITING)
    turns = {pk: turn for turn, pk in enumerate(waiting, 1)}
    ended = [item.ended for item in items if item.ended]
    return {
        "batch": batch,
        "pairs": [
            _pair(item, bases.get(item.piece_id)) | {"turn": turns.get(item.pk)}
            for item in items
            if only in ("", item.state)
        ],
        "only": only,
        "last_ended": max(ended, default=None),
        "all": len(items),
        "done": count[states.DONE],
        "failed": count[states.FAILED],
        "skipped": count[states.SKIPPED],
        "left": left,
        "treatment": treatment_words(batch.as_treatment()),
        "urgencies": Batch.Urgency.choices,
        "first_failed": next(
            (n for n, one in enumerate(items) if one.state == states.FAILED), None
        ),
    }


def _pair(item: BatchItem, base: Layer | None) -> dict[str, Any]:
    return {
        "item": item,
        "base": base,
        "fired": item.fired,
        "compare": _compared(item, base),
        "movable": item.state == item.State.WAITING,
        "again": item.state in (item.State.FAILED, item.State.SKIPPED, item.State.PAUSED),
        "skippable": item.state not in (item.State.DONE, item.State.SKIPPED, item.State.WRITING),
    }


def _compared(item: BatchItem, base: Layer | None) -> str:
    """Return the address of the comparing bench with a picture's source and result; empty before there is
    a result.
    """
    fired = item.fired
    if base is None or fired is None:
        return ""
    compare = reverse("compare", args=[base.piece_id])
    return f"{compare}?show={base.pk},{fired.pk}&batch={item.batch_id}"


def _bases_of(items: Iterable[BatchItem]) -> dict[UUID | None, Layer]:
    """Return the base of each picture, by its piece."""
    pieces = [item.piece_id for item in items]
    bases = Layer.objects.filter(piece_id__in=pieces, kind=Layer.Kind.BASE)
    return {base.piece_id: base for base in bases}


def _seconds_left(item: BatchItem) -> float:
    """Return the predicted seconds that a picture takes, where there is a prediction."""
    firing = item.firing
    if item.state == item.State.WAITING:
        return item.predicted or 0.0
    if firing is None or not firing.open:
        return 0.0
    return firing.seconds_left or firing.predicted_seconds or 0.0


def treatment_words(treatment: Treatment) -> list[str]:
    """Return a treatment in words, a line for each step."""
    found = []
    if treatment.coats:
        coats = len(treatment.schedule.laid) if treatment.schedule else 0
        found.append(f"{coats} coat{pluralize(coats)}" if coats else "each piece's own schedule")
        for rule in treatment.kinds:
            count = len(rule.schedule.laid)
            words = SUBJECTS[rule.subject].lower()
            found.append(f"{words}: {count} coat{pluralize(count)}")
    if treatment.faces:
        found.append(f"faces mended at strength {treatment.strength:g}")
    if treatment.finish:
        found.append(f"finish: {treatment.finish.words.lower()}")
    if treatment.files:
        found.append(f"{len(treatment.files)} print file{pluralize(treatment.files)}")
    return found


def rows(batch: Batch) -> Iterable[list[str]]:
    """Return the table of results, headings first."""
    yield list(COLUMNS)
    for number, item in enumerate(batch.items.with_all(), 1):
        fired = item.fired
        seconds = item.firing.seconds if item.firing else None
        yield [
            str(number), item.source, str(item.state), item.reason,
            str(fired.width) if fired else "", str(fired.height) if fired else "",
            f"{seconds:.1f}" if seconds is not None else "",
            "; ".join(made.name for made in item.files.all()),
            timezone.localtime(item.ended).isoformat(timespec="seconds") if item.ended else "",
        ]  # fmt: skip


def present_pair(batch: Batch, piece: Piece) -> dict[str, Any]:
    """Return a piece's position among the pairs of its batch, and the addresses of its neighbours."""
    items = [item for item in batch.items.with_all() if item.fired and item.piece_id]
    at = next((n for n, item in enumerate(items) if item.piece_id == piece.pk), None)
    if at is None:
        return {}
    beside = {"before": items[at - 1 : at] if at else [], "after": items[at + 1 : at + 2]}
    bases = _bases_of([item for pair in beside.values() for item in pair])
    found: dict[str, Any] = {
        name: _compared(item, bases.get(item.piece_id))
        for name, pair in beside.items()
        for item in pair
    }
    return found | {"batch": batch, "place": f"{at + 1} of {len(items)}"}
