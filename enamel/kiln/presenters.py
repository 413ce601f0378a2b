"""The kiln's page: jobs by state, and the workers."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.db.models import Count
from django.utils import timezone

from enamel.batches.models import Batch
from enamel.firings import queue
from enamel.firings.models import Firing
from enamel.jobs.models import Job, Worker
from enamel.jobs.queueing import FIRINGS, MAINTENANCE, SWATCHES
from enamel.library.models import Layer
from enamel.orders.models import Order, SentCoat

RECENT = timedelta(days=2)
"""How long firings that are done stay on the page."""
MOST_DONE = 30
QUEUES = {
    FIRINGS: "firings",
    SWATCHES: "swatches and candidates",
    MAINTENANCE: "files, checks, models",
}
"""What a worker serves, in words."""


@dataclass(frozen=True, slots=True)
class FiringRow:
    """A firing in a list. Of other artists' firings no details are shown."""

    firing: Firing
    own: bool
    seconds: float | None = None
    """Seconds until about when it begins, where it waits."""

    @property
    def passed(self) -> float | None:
        """Seconds since it began, or that it took."""
        if self.firing.started is None:
            return None
        return ((self.firing.ended or timezone.now()) - self.firing.started).total_seconds()

    @property
    def progress(self) -> float:
        """Fraction that is done, 0…1."""
        return self.firing.progress


@dataclass(frozen=True, slots=True)
class JobRow:
    """Work of the kiln other than firings."""

    what: str
    of: str = ""
    """The piece it is for; empty where it is somebody else's."""
    words: str = ""
    """Fraction that is done, 0…1."""
    url: str = ""
    done: float = 0.0
    total: float = 0.0
    """Seconds; 0 where not known."""
    seconds_left: float | None = None


def other_work(artist: AbstractBaseUser) -> list[JobRow]:
    """Return jobs other than firings and orders that run or wait, the artist's own in detail."""
    found: list[JobRow] = []
    others = 0
    for kind in Job.kinds():
        if issubclass(kind, Firing | Order):
            continue
        manager: Any = kind._default_manager
        related = [name for name in (kind.PIECE, kind.GROUP) if name]
        own = manager.of(artist).open()
        jobs = list(own.select_related(*related) if related else own)
        found += _shown_together(kind, jobs)
        others += manager.open().count() - len(jobs)
    unready = Layer.objects.filter(pyramid="", piece__owner_id=artist.pk, piece__deleted_at=None)
    for layer in unready.select_related("piece"):
        found.append(JobRow("Making a layer ready to be looked at", layer.piece.title))
    if others:
        found.append(JobRow("Work of other artists", "", f"{others} waiting or under way"))
    return found


def _shown_together(kind: type[Job], own: Sequence[Any]) -> Iterator[JobRow]:
    """Yield open jobs of one kind; those submitted together are shown as one."""
    by_group: dict[Any, list[Any]] = defaultdict(list)
    for job in own:
        by_group[getattr(job, kind.GROUP) if kind.GROUP else job].append(job)
    totals: dict[Any, int] = {}
    if kind.GROUP and own:
        members = kind._default_manager.filter(**{f"{kind.GROUP}__in": list(by_group)})
        totals = dict(members.order_by().values_list(kind.GROUP).annotate(Count("pk")))
    for group, jobs in by_group.items():
        first, total = jobs[0], totals.get(group.pk, 1)
        done = total - len(jobs) + sum(job.progress for job in jobs)
        words = f"{total - len(jobs)} of {total} done" if kind.GROUP else first.state_label
        left = first.seconds_left
        if kind.GROUP and group.predicted_seconds:
            left = group.predicted_seconds * len(jobs) / total
        # no bar for a single job of which nothing is done: it waits, or does not say how far it is
        bar = total if kind.GROUP or done else 0
        yield JobRow(kind.LABEL, first.subject, words, first.url, done, bar, left)


def present_kiln(artist: AbstractBaseUser) -> dict[str, Any]:
    """Return the page of the kiln."""

    def shown(firing: Firing, seconds: float | None = None) -> FiringRow:
        return FiringRow(firing, firing.piece.owner_id == artist.pk, seconds)

    known = Firing.objects.filter(piece__deleted_at=None).select_related("piece", "start", "result")
    mine = known.filter(piece__owner_id=artist.pk)
    ended = mine.filter(state__in=[Firing.State.STOPPED, Firing.State.FAILED], dismissed=False)
    done = mine.filter(state=Firing.State.DONE, ended__gt=timezone.now() - RECENT)
    running = known.filter(state=Firing.State.RUNNING).order_by("started")
    workers = sorted(Worker.objects.all(), key=lambda worker: not worker.alive)
    batches = Batch.objects.of(artist)
    alive = [worker for worker in workers if worker.alive]
    return {
        "running": [shown(firing) for firing in running],
        "waiting": [shown(place.firing, place.seconds) for place in queue.in_order()],
        "ended": [shown(firing) for firing in ended.order_by("-created")],
        "done": [shown(firing) for firing in done.order_by("-ended")[:MOST_DONE]],
        "batches": batches.filter(ended=None) | batches.filter(ended__gt=timezone.now() - RECENT),
        "other_work": other_work(artist),
        "sent_out": SentCoat.objects.of(artist).open().select_related("piece"),
        "workers": [
            {
                "worker": worker,
                "serves": ", ".join(QUEUES.get(name, name) for name in worker.queues),
                "own": worker.owner_id == artist.pk,
            }
            for worker in workers
        ],
        "fires": any(FIRINGS in worker.queues for worker in alive),
        "missing": [
            words for name, words in QUEUES.items() if not any(name in w.queues for w in alive)
        ],
    }
