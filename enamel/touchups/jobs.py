"""Make candidates in workers: one place refined with one seed, and its preview."""

import shutil
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from django.db.models import F
from procrastinate import JobContext
from procrastinate.exceptions import JobAborted

from enamel.core.errors import Stopped
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Cropped, SampleArray
from enamel.core.imaging.encoded import webp_of
from enamel.core.imaging.reduce import reduced
from enamel.core.pipeline.touchup import Known, make_patch, show_patch, source_of
from enamel.firings import touch_ups
from enamel.jobs import sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.queueing import SWATCHES
from enamel.jobs.tasks import task
from enamel.library.layers import canvas_of, piece_work
from enamel.library.models import Layer
from enamel.storage.disk import require_some_room, waiting_for_room
from enamel.storage.files import keep_file
from enamel.touchups.models import Candidate, Mending
from enamel.touchups.queue import enqueue_candidate

ATTEMPTS = 4
"""A candidate whose worker died this often is not tried again."""
SHOWN = 900
"""Longest side, in px, of what a candidate looks like."""


@task(SWATCHES, "Making a candidate of a touch-up", pass_context=True)
def make_candidate(context: JobContext, candidate_id: int) -> None:
    """Make one candidate of a touch-up."""
    if not make(candidate_id, context.should_abort):
        raise JobAborted


sweeper.register(
    sweeper.JobKind(
        "touchups.make_candidate", "candidate_id", Candidate.objects.open, enqueue_candidate,
        piece="mending__piece",
    )
)  # fmt: skip


def make(candidate_id: int, closing: Callable[[], bool]) -> bool:
    """Make a candidate that waits. False when a closing worker left it unfinished."""
    candidate = (
        Candidate.objects.select_related("mending__piece", "mending__layer")
        .filter(pk=candidate_id)
        .first()
    )
    if candidate is None or not candidate.open:
        return True
    ended = _carry_out(candidate, closing)
    if ended:
        shutil.rmtree(_work(candidate), ignore_errors=True)
    return ended


def _carry_out(candidate: Candidate, closing: Callable[[], bool]) -> bool:
    stopped = Mending.objects.filter(pk=candidate.mending_id, stopped=True)

    def stopping() -> bool:
        return closing() or stopped.exists()

    if stopped.exists():
        return _end(candidate, Candidate.State.STOPPED)
    if candidate.tries >= ATTEMPTS:
        return _end(candidate, Candidate.State.FAILED, "The kiln broke off several times at this "
                    "candidate, most likely for lack of memory. Choose a smaller working size.")  # fmt: skip
    Candidate.objects.filter(pk=candidate.pk).update(
        state=Candidate.State.RUNNING, tries=F("tries") + 1, error=""
    )
    try:
        require_some_room()
        _refine(candidate, stopping)
    except Stopped:
        if closing():
            Candidate.objects.filter(pk=candidate.pk).update(
                state=Candidate.State.QUEUED, tries=candidate.tries
            )
            return False
        return _end(candidate, Candidate.State.STOPPED)
    except Exception as error:
        mine = Candidate.objects.filter(pk=candidate.pk)
        with waiting_for_room(mine, state=Candidate.State.QUEUED, tries=candidate.tries):
            words = describe_error(error, f"candidate {candidate.pk}")
        return _end(candidate, Candidate.State.FAILED, words)
    return True


def _end(candidate: Candidate, state: str, error: str = "") -> bool:
    Candidate.objects.filter(pk=candidate.pk).update(state=state, error=error)
    return True


def _work(candidate: Candidate) -> Path:
    """Return folder for a candidate while it is made."""
    return piece_work(candidate.mending.piece) / f"candidate-{candidate.pk}"


def _refine(candidate: Candidate, stopping: Callable[[], bool]) -> None:
    began = time.monotonic()
    mending = candidate.mending
    settings = mending.as_touch_up()
    placed = settings.placed(candidate.as_patch(), mending.layer.size)
    with canvas_of(mending.layer) as layer, canvas_of(mending.piece.base) as base:
        source = source_of(layer, base, settings)
        made = make_patch(source, placed, _work(candidate), stopping=stopping)
        samples = made.samples.read(Box.whole(placed.around.size))[..., :3]
        shown = webp_of(show_patch(layer, samples, placed, settings.match), SHOWN)
    path = _work(candidate) / "candidate.npy"
    np.save(path, samples)
    keep_file(candidate.pixels, path, f"{candidate.pk}.npy")
    made_fields = {
        "pixels": candidate.pixels,
        "shown": shown,
        "seconds": time.monotonic() - began,
        "model_seconds": sum(report.model_seconds for report in made.fired.reports),
        "state": Candidate.State.DONE,
    }
    # only what was made: the artist may have judged, stopped or forgotten it meanwhile
    if not Candidate.objects.filter(pk=candidate.pk).update(**made_fields):
        candidate.pixels.delete(save=False)


def before(mending: Mending, place: int) -> bytes:
    """Return the place as the layer has it now, of the same size as its candidates are shown."""
    settings = mending.as_touch_up()
    seen = settings.placed(settings.patches[place], mending.layer.size).seen
    with canvas_of(mending.layer) as layer:
        part = Cropped(layer, seen)
        scale = min(1.0, SHOWN / max(seen.size))
        return webp_of(reduced(part, seen.size.scaled(scale)), SHOWN)


def known_patches(layer: Layer, content_keys: list[str]) -> Known:
    """Find the pixels of candidates with these content keys, by the patch's number."""
    made = {
        candidate.content_key: candidate
        for candidate in Candidate.objects.filter(
            mending__piece=layer.piece, content_key__in=content_keys, state=Candidate.State.DONE
        )
    }

    def known(number: int) -> SampleArray | None:
        candidate = made.get(content_keys[number])
        if candidate is None:
            return None
        with candidate.pixels.open("rb") as file:
            samples: SampleArray = np.load(file)
        return samples

    return known


touch_ups.register(known_patches)
