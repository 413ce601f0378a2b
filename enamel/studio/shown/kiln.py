"""What the kiln's page shows: what runs, waits, is paused, failed or done, and who does it."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.utils import timezone

from enamel.kiln.firings import queue
from enamel.kiln.models import Batch, Firing, SentCoat, Worker
from enamel.kiln.queueing import CHORES, FIRINGS, SWATCHES

RECENT = timedelta(days=2)
"""For so long firings that are done stay on the page."""
MOST_DONE = 30
QUEUES = {FIRINGS: "firings", SWATCHES: "swatches and candidates", CHORES: "files, checks, models"}
"""What a worker serves, in words."""


@dataclass(frozen=True, slots=True)
class Shown:
    """A firing in a list. Of other artists' firings only that they are there is told."""

    firing: Firing
    own: bool
    seconds: float | None = None
    """In how long about it is begun, where it waits."""

    @property
    def passed(self) -> float | None:
        """Seconds since it was begun, or that it took."""
        if self.firing.started is None:
            return None
        return ((self.firing.ended or timezone.now()) - self.firing.started).total_seconds()

    @property
    def share(self) -> float:
        """How much is done, 0…1."""
        return self.firing.done / self.firing.total if self.firing.total else 0.0


def kiln_shown(artist: AbstractBaseUser) -> dict[str, Any]:
    """The page of the kiln."""

    def shown(firing: Firing, seconds: float | None = None) -> Shown:
        return Shown(firing, firing.piece.owner_id == artist.pk, seconds)

    known = Firing.objects.filter(piece__deleted_at=None).select_related("piece", "start", "result")
    mine = known.filter(piece__owner_id=artist.pk)
    ended = mine.filter(state__in=[Firing.State.STOPPED, Firing.State.FAILED], put_away=False)
    done = mine.filter(state=Firing.State.DONE, ended__gt=timezone.now() - RECENT)
    running = known.filter(state=Firing.State.FIRING).order_by("started")
    workers = sorted(
        Worker.objects.select_related("firing__piece"), key=lambda worker: not worker.alive
    )
    batches = Batch.objects.of(artist)
    alive = [worker for worker in workers if worker.alive]
    return {
        "running": [shown(firing) for firing in running],
        "waiting": [shown(place.firing, place.seconds) for place in queue.in_order()],
        "ended": [shown(firing) for firing in ended.order_by("-created")],
        "done": [shown(firing) for firing in done.order_by("-ended")[:MOST_DONE]],
        "batches": batches.filter(ended=None) | batches.filter(ended__gt=timezone.now() - RECENT),
        "sent_out": SentCoat.objects.of(artist).open().select_related("piece"),
        "workers": [
            {
                "worker": worker,
                "serves": ", ".join(QUEUES.get(name, name) for name in worker.queues),
                "own": worker.firing and worker.firing.piece.owner_id == artist.pk,
            }
            for worker in workers
        ],
        "fires": any(FIRINGS in worker.queues for worker in alive),
        "missing": [
            words for name, words in QUEUES.items() if not any(name in w.queues for w in alive)
        ],
    }
