"""Batches: predict their cost, start, pause, resume, end, skip, retry and reorder."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from django.conf import settings
from django.contrib.auth.base_user import AbstractBaseUser
from django.db import transaction
from django.utils import timezone

from enamel.accounts.quotas import require_space
from enamel.batches import feeding as running
from enamel.batches import folders
from enamel.batches.models import Batch, BatchItem
from enamel.batches.queue import enqueue_feed
from enamel.catalogue.models import Suited
from enamel.core.errors import Refusal
from enamel.core.pipeline.treatment import Treatment
from enamel.firings import queue
from enamel.firings import services as firings
from enamel.firings.models import Firing, Timing
from enamel.firings.models.firings import FiringQuerySet
from enamel.library.models import Piece
from enamel.prints import services as prints

MOST = 1000
"""Most pictures of one batch."""


@dataclass(slots=True)
class BatchCost:
    """The cost of a batch."""

    each: dict[UUID, float] = field(default_factory=dict)
    """Seconds for each piece that can be fired so, by its id."""
    tiles: int = 0
    layers_mb: float = 0.0
    """Bytes of its layers on the disk."""
    working_mb: float = 0.0
    """Bytes of memory of its largest firing."""
    refused: list[tuple[Piece, str]] = field(default_factory=list)
    """Pieces that can't be fired so, and why."""

    @property
    def count(self) -> int:
        return len(self.each)

    @property
    def seconds(self) -> float:
        return sum(self.each.values())

    @property
    def disk_mb(self) -> float:
        return self.layers_mb + self.working_mb


def cost(pieces: Iterable[Piece], treatment: Treatment) -> BatchCost:
    """Return the cost of a treatment of pieces, from their bases on."""
    found, paces, suited = BatchCost(), Timing.objects.paces(), Suited.read()
    for piece in pieces:
        try:
            prediction = firings.predict_steps(
                piece.base, running.steps_for(piece, treatment, suited), paces
            )
        except Refusal as refusal:
            found.refused.append((piece, str(refusal)))
            continue
        working = max((coat.disk_mb for coat in prediction.coats), default=0.0)
        found.each[piece.pk] = prediction.seconds
        found.tiles += prediction.tiles
        found.layers_mb += prediction.disk_mb - working
        found.working_mb = max(found.working_mb, working)
    return found


def start(
    owner: AbstractBaseUser,
    name: str,
    treatment: Treatment,
    pieces: Sequence[Piece] = (),
    *,
    folder: str | None = None,
    watched: bool = False,
    urgency: int = Batch.Urgency.BEHIND,
) -> Batch:
    """Return a batch of pieces, or of the pictures in a folder, and start it.

    Raises
    ------
    Refusal
        When there is nothing to do, too much, or no room on the disk. Nothing is started then.
    """
    predicted: dict[UUID, float] = {}
    if folder is not None:
        count = len(folders.pictures_in(folder))
        if not count and not watched:
            raise Refusal("There is no picture in this folder yet. Put some there, or watch it.")
    else:
        count = len(pieces)
        if not count:
            raise Refusal("Choose at least one picture.")
        foreseen = cost(pieces, treatment)
        predicted = foreseen.each
        require_space(owner.pk, foreseen.disk_mb, settings.KILN_WORK)
    if count > MOST:
        raise Refusal(f"These are {count} pictures; a batch takes {MOST}. Make several of them.")
    with transaction.atomic():
        batch = Batch.objects.create(
            owner_id=owner.pk, name=name.strip()[:120] or "Batch", treatment=treatment.to_json(),
            urgency=urgency, folder=folder or "", watched=watched, looking=folder is not None,
        )  # fmt: skip
        BatchItem.objects.bulk_create(
            BatchItem(
                batch=batch,
                place=place,
                piece=piece,
                source=piece.title[:255],
                predicted=predicted.get(piece.pk),
            )
            for place, piece in enumerate(pieces)
        )
        enqueue_feed()
    return batch


def pause(batch: Batch) -> None:
    """Pause a batch after the current tiles; nothing more is begun."""
    Batch.objects.filter(pk=batch.pk).update(paused=True)
    for firing in _firings(batch).open():
        firings.stop(firing)


def resume(batch: Batch) -> None:
    """Resume a batch where it was paused."""
    Batch.objects.filter(pk=batch.pk).update(paused=False, ended=None)
    for firing in _firings(batch).filter(state=Firing.State.STOPPED, dismissed=False):
        firings.resume(firing)
    enqueue_feed()


def end(batch: Batch) -> None:
    """End a batch: waiting pictures are skipped, running ones stopped, results stay."""
    batch.items.waiting().update(skipped=True, ended=timezone.now())
    for item in batch.items.filter(firing__isnull=False).with_all():
        if item.state not in (item.State.DONE, item.State.WRITING, item.State.FAILED):
            skip(item)
    ended = {"paused": False, "looking": False, "watched": False, "ended": timezone.now()}
    Batch.objects.filter(pk=batch.pk).update(**ended)


def skip(item: BatchItem) -> None:
    """Skip a picture; its firing is stopped."""
    if item.state == item.State.DONE:
        raise Refusal("This picture is done already.")
    BatchItem.objects.filter(pk=item.pk).update(skipped=True, ended=timezone.now())
    if item.firing and item.firing.open:
        firings.stop(item.firing, for_good=True)


def again(item: BatchItem) -> None:
    """Retry a picture that failed or was skipped; finished tiles of it are kept."""
    fresh: dict[str, Any] = {"skipped": False, "error": "", "ended": None}
    firing = item.firing
    if firing and firing.state in (Firing.State.STOPPED, Firing.State.FAILED):
        Firing.objects.filter(pk=firing.pk).update(dismissed=False)
        firings.resume(firing)
    elif item.fired:
        fresh["ordered"] = False
        for made in item.files.all():
            prints.delete(made)
    BatchItem.objects.filter(pk=item.pk).update(**fresh)
    Batch.objects.filter(pk=item.batch_id).update(ended=None)
    enqueue_feed()


def move(item: BatchItem, steps: int) -> None:
    """Move a waiting picture by a number of places, forward if negative."""
    with transaction.atomic():
        Batch.objects.select_for_update().get(pk=item.batch_id)
        waiting = list(item.batch.items.waiting())
        places = [one.place for one in waiting]
        at = next((n for n, one in enumerate(waiting) if one.pk == item.pk), None)
        if at is None:
            raise Refusal("This picture does not wait any more, so it can't be moved.")
        waiting = queue.moved(waiting, at, steps)
        for place, one in zip(places, waiting, strict=True):
            one.place = place
        BatchItem.objects.bulk_update(waiting, ["place"])


def set_urgency(batch: Batch, urgency: int) -> None:
    """Change the priority of a batch, also for its firings in the queue."""
    Batch.objects.filter(pk=batch.pk).update(urgency=urgency)
    for firing in _firings(batch).filter(state=Firing.State.WAITING):
        queue.set_priority(firing, urgency)


def _firings(batch: Batch) -> FiringQuerySet:
    return Firing.objects.filter(pk__in=batch.items.values("firing"))
