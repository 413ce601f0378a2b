"""What the kiln's page shows: what runs, waits, is paused, failed or done, and who does it."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.db.models import Count, Q, QuerySet
from django.urls import reverse
from django.utils import timezone

from enamel.batches.models import Batch
from enamel.firings import queue
from enamel.firings.models import Firing
from enamel.jobs.models import Worker
from enamel.jobs.queueing import FIRINGS, MAINTENANCE, SWATCHES
from enamel.library.models import Layer
from enamel.orders.models import SentCoat
from enamel.prints.models import PrintFile
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.touchups.models import Candidate, Mending
from enamel.uploads.models import Upload

RECENT = timedelta(days=2)
"""For so long firings that are done stay on the page."""
MOST_DONE = 30
QUEUES = {
    FIRINGS: "firings",
    SWATCHES: "swatches and candidates",
    MAINTENANCE: "files, checks, models",
}
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
    def progress(self) -> float:
        """How much is done, 0…1."""
        return self.firing.done / self.firing.total if self.firing.total else 0.0


@dataclass(frozen=True, slots=True)
class Work:
    """Work of the kiln that is no firing."""

    what: str
    of: str = ""
    """The piece it is for; empty where it is somebody else's."""
    words: str = ""
    """How far it is."""
    url: str = ""
    done: float = 0.0
    total: float = 0.0
    """0 where it can't be said."""
    seconds_left: float | None = None


def other_work(artist: AbstractBaseUser) -> list[Work]:
    """Return swatches, candidates, files and checks that run or wait, the artist's own in detail."""
    found = [
        *_being_made(SwatchSheet.objects.of(artist), "sheet", "swatch", "swatches"),
        *_being_made(Mending.objects.of(artist), "mending", "candidate", "candidates"),
        *_files(PrintFile.objects.of(artist)),
        *(
            Work(f"Reading {one.name}", "", one.get_state_display(), done=one.progress, total=1.0)
            for one in Upload.objects.of(artist).open()
        ),
    ]
    unready = Layer.objects.filter(pyramid="", piece__owner_id=artist.pk, piece__deleted_at=None)
    for layer in unready.select_related("piece"):
        found.append(Work("Making a layer ready to be looked at", layer.piece.title))
    others = (
        Swatch.objects.open().exclude(sheet__piece__owner_id=artist.pk).count()
        + Candidate.objects.open().exclude(mending__piece__owner_id=artist.pk).count()
        + PrintFile.objects.open().exclude(layer__piece__owner_id=artist.pk).count()
    )
    if others:
        found.append(Work("Work of other artists", "", f"{others} waiting or under way"))
    return found


def _being_made(groups: QuerySet[Any], page: str, one: str, many: str) -> Iterator[Work]:
    """Yield sheets with swatches, or mendings with candidates, of which some are still to be made."""
    state = groups.model._meta.get_field(many).related_model.State
    still_open = Q(**{f"{many}__state__in": [state.QUEUED, state.RUNNING]})
    counted = groups.annotate(total=Count(many), waiting=Count(many, filter=still_open)).filter(
        waiting__gt=0
    )
    for made in counted.select_related("piece"):
        done, predicted = made.total - made.waiting, made.predicted_seconds
        yield Work(
            f"Making {made.total} {one if made.total == 1 else many}", made.piece.title,
            f"{done} of {made.total} done", reverse(page, args=[made.pk]), done, made.total,
            predicted * made.waiting / made.total if predicted else None,
        )  # fmt: skip


def _files(files: QuerySet[PrintFile]) -> Iterator[Work]:
    for made in files.open().select_related("layer__piece"):  # type: ignore[attr-defined]
        piece = made.layer.piece
        yield Work(
            f"Writing {made.name}", piece.title, made.get_state_display(),
            f"{piece.get_absolute_url()}?layer={made.layer_id}&task=file", made.progress, 1.0,
            made.seconds_left,
        )  # fmt: skip


def kiln_shown(artist: AbstractBaseUser) -> dict[str, Any]:
    """Return the page of the kiln."""

    def shown(firing: Firing, seconds: float | None = None) -> Shown:
        return Shown(firing, firing.piece.owner_id == artist.pk, seconds)

    known = Firing.objects.filter(piece__deleted_at=None).select_related("piece", "start", "result")
    mine = known.filter(piece__owner_id=artist.pk)
    ended = mine.filter(state__in=[Firing.State.STOPPED, Firing.State.FAILED], dismissed=False)
    done = mine.filter(state=Firing.State.DONE, ended__gt=timezone.now() - RECENT)
    running = known.filter(state=Firing.State.FIRING).order_by("started")
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
