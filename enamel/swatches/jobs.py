"""Make swatches in workers: the very pixels that a firing gives in a window, and their measures."""

import shutil
import time
from collections.abc import Callable
from pathlib import Path

from django.db.models import F
from procrastinate import JobContext
from procrastinate.exceptions import JobAborted

from enamel.core.checks.windows import measures
from enamel.core.errors import Stopped
from enamel.core.imaging.canvas import SampleArray
from enamel.core.imaging.encoded import webp_of
from enamel.core.pipeline.firing import fire
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Schedule
from enamel.core.tiling.tilestore import key_of
from enamel.core.upscaling.enlarge import Resampled
from enamel.firings import inlays
from enamel.jobs import sweeper
from enamel.jobs.errors import describe_error
from enamel.jobs.queueing import SWATCHES
from enamel.jobs.tasks import task
from enamel.library.layers import canvas_of, piece_work, tile_store
from enamel.library.models import Piece
from enamel.storage.disk import require_some_room, waiting_for_room
from enamel.storage.files import keep_file
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.swatches.nearness import apart, is_only_near
from enamel.swatches.pixels import pixels_of
from enamel.swatches.queue import enqueue_swatch

ATTEMPTS = 4
"""A swatch whose worker died this often is not tried again."""
MADE = ("pixels", "sha256", "seconds", "model_seconds", "shared", "measures", "state", "so_far")
"""Fields that the making fills."""


@task(SWATCHES, "Making a swatch", pass_context=True)
def make_swatch(context: JobContext, swatch_id: int) -> None:
    """Make one swatch of a sheet."""
    if not make(swatch_id, context.should_abort):
        raise JobAborted


sweeper.register(
    sweeper.JobKind(
        "swatches.make_swatch",
        "swatch_id",
        Swatch.objects.open,
        enqueue_swatch,
        piece="sheet__piece",
    )
)


def _find_pixels(piece: Piece, sha256: str) -> SampleArray | None:
    """Return the pixels of a piece's swatch by their hash, for inlays."""
    swatch = Swatch.objects.filter(sheet__piece=piece, sha256=sha256).first()
    return pixels_of(swatch) if swatch and swatch.pixels else None


inlays.register(_find_pixels)


def enlargements(piece: Piece) -> Path:
    """Return where enlarged parts stay for further swatches of a piece."""
    return piece_work(piece) / "enlarged"


def make(swatch_id: int, closing: Callable[[], bool]) -> bool:
    """Make a swatch that waits. False when a closing worker left it unfinished."""
    swatch = (
        Swatch.objects.select_related("sheet__piece", "sheet__start").filter(pk=swatch_id).first()
    )
    if swatch is None or not swatch.open:
        return True
    ended = _carry_out(swatch, closing)
    if ended:
        _tidy(swatch)
    return ended


def _carry_out(swatch: Swatch, closing: Callable[[], bool]) -> bool:
    sheet = swatch.sheet

    def stopping() -> bool:
        return closing() or SwatchSheet.objects.filter(pk=sheet.pk, stopped=True).exists()

    if SwatchSheet.objects.filter(pk=sheet.pk, stopped=True).exists():
        return _end(swatch, Swatch.State.STOPPED)
    if swatch.tries >= ATTEMPTS:
        return _end(swatch, Swatch.State.FAILED, "The kiln broke off several times at this swatch, "
                    "most likely for lack of memory. Choose smaller tiles or a smaller window.")  # fmt: skip
    Swatch.objects.filter(pk=swatch.pk).update(
        state=Swatch.State.RUNNING, tiles_done=0, tries=F("tries") + 1, error=""
    )
    try:
        require_some_room()
        _fire(swatch, stopping)
    except Stopped:
        if closing():
            Swatch.objects.filter(pk=swatch.pk).update(
                state=Swatch.State.QUEUED, tries=swatch.tries
            )
            return False
        return _end(swatch, Swatch.State.STOPPED)
    except Exception as error:
        mine = Swatch.objects.filter(pk=swatch.pk)
        with waiting_for_room(mine, state=Swatch.State.QUEUED, tries=swatch.tries):
            words = describe_error(error, f"swatch {swatch.pk}")
        return _end(swatch, Swatch.State.FAILED, words)
    return True


class SoFar:
    """The window while it is made: the base, and over it each tile of the last coat that is there."""

    def __init__(self, swatch: Swatch, coats: int, base: SampleArray) -> None:
        self.swatch = swatch
        self.last = coats - 1
        self.box = swatch.sheet.box
        self.samples = base.copy()

    def on_progress(self, progress: Progress) -> None:
        seen = progress.box.intersection(self.box)
        if progress.coat != self.last or seen.empty:
            return
        part = progress.preview[seen.relative_to(progress.box).slices]
        self.samples[seen.relative_to(self.box).slices][..., :3] = part[..., :3]
        Swatch.objects.filter(pk=self.swatch.pk).update(
            tiles_done=F("tiles_done") + 1, so_far=webp_of(self.samples, max(self.box.size))
        )


def _end(swatch: Swatch, state: str, error: str = "") -> bool:
    Swatch.objects.filter(pk=swatch.pk).update(state=state, error=error, so_far=None)
    return True


def _work(swatch: Swatch) -> Path:
    """Return folder for a swatch while it is made."""
    return piece_work(swatch.sheet.piece) / f"swatch-{swatch.pk}"


def _tidy(swatch: Swatch) -> None:
    """Delete what the making left: its own folder, and enlarged parts once no other swatch waits for them."""
    piece = swatch.sheet.piece
    shutil.rmtree(_work(swatch), ignore_errors=True)
    if not Swatch.objects.filter(sheet__piece=piece).open().exists():
        shutil.rmtree(enlargements(piece), ignore_errors=True)


def _fire(swatch: Swatch, stopping: Callable[[], bool]) -> None:
    sheet = swatch.sheet
    coats = sheet.as_schedule().coats
    schedule = Schedule((*coats[:-1], Coat.from_json(swatch.coat)))
    began = time.monotonic()
    base = base_window(sheet)
    with canvas_of(sheet.start) as start, canvas_of(sheet.piece.base) as origin:
        fired = fire(
            start, schedule, _work(swatch), window=sheet.box, stopping=stopping, origin=origin,
            on_progress=SoFar(swatch, len(schedule.laid), base).on_progress,
            store=tile_store(), enlargements=enlargements(sheet.piece),
        )  # fmt: skip
    canvas = fired.result
    samples = canvas.read(sheet.box)
    swatch.sha256 = key_of(samples)
    path = canvas.path
    canvas.close()
    keep_file(swatch.pixels, path, f"{swatch.pk}.npy")
    swatch.seconds = time.monotonic() - began
    swatch.model_seconds = sum(report.model_seconds for report in fired.reports)
    swatch.shared = sum(report.shared for report in fired.reports)
    swatch.measures = measures(samples, base, schedule.coats[-1], sheet.size, sheet.box)
    if is_only_near(schedule):
        layer = sheet.piece.layer_at(fired.layers[-1].content_key)
        swatch.measures["apart"] = apart(samples, swatch, layer)
    swatch.state, swatch.so_far = Swatch.State.DONE, None
    # only what was made: the artist may have judged, stopped or forgotten it meanwhile
    made = {name: getattr(swatch, name) for name in MADE}
    if not Swatch.objects.filter(pk=swatch.pk).update(**made):
        swatch.pixels.delete(save=False)


def base_window(sheet: SwatchSheet) -> SampleArray:
    """Return the window of the base, enlarged by Lanczos to the scale of the swatches."""
    with canvas_of(sheet.piece.base) as base:
        return Resampled(base, sheet.size, "lanczos").read(sheet.box)
