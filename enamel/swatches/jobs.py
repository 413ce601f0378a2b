"""Make swatches in workers: the same pixels that a firing gives in a window, and their measures."""

import shutil
import time
from pathlib import Path

from django.db.models import F

from enamel.core.checks.windows import measures
from enamel.core.imaging.canvas import SampleArray
from enamel.core.imaging.encoded import webp_of
from enamel.core.pipeline.firing import fire
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Schedule
from enamel.core.tiling.tilestore import key_of
from enamel.core.upscaling.enlarge import Resampled
from enamel.firings import inlays
from enamel.jobs.locks import advisory_lock
from enamel.jobs.running import Stopping, carries_out
from enamel.library.layers import canvas_of, piece_work, tile_store
from enamel.library.models import Piece
from enamel.storage.files import keep_file
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.swatches.nearness import apart, is_only_near
from enamel.swatches.pixels import pixels_of


def _find_pixels(piece: Piece, sha256: str) -> SampleArray | None:
    """Return a swatch of the piece by the hash of its pixels, for inlays."""
    swatch = Swatch.objects.filter(sheet__piece=piece, sha256=sha256).first()
    return pixels_of(swatch) if swatch and swatch.pixels else None


inlays.register(_find_pixels)


def enlargements(piece: Piece) -> Path:
    """Return the folder of enlarged parts that swatches of a piece share."""
    return piece_work(piece) / "enlarged"


class PartialWindow:
    """The window in progress: the base, and over it the finished tiles of the last coat."""

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


def _work(swatch: Swatch) -> Path:
    """Return the folder for a swatch while it is made."""
    return piece_work(swatch.sheet.piece) / f"swatch-{swatch.pk}"


def _clean_up(swatch: Swatch) -> None:
    """Delete the swatch's folder, and the shared enlarged parts once no other swatch waits for them."""
    piece = swatch.sheet.piece
    Swatch.objects.filter(pk=swatch.pk).update(so_far=None)
    shutil.rmtree(_work(swatch), ignore_errors=True)
    if not Swatch.objects.filter(sheet__piece=piece).open().exists():
        shutil.rmtree(enlargements(piece), ignore_errors=True)


@carries_out(Swatch, _clean_up)
def make(swatch: Swatch, stopping: Stopping) -> None:
    """Make a swatch, or take the pixels of an equal one that exists by now."""
    with advisory_lock(f"{swatch.sheet.piece_id} {swatch.content_key}"):
        known = Swatch.objects.same_as(swatch)
        if known:
            swatch.finish(**known.results())
        else:
            _make(swatch, stopping)


def _make(swatch: Swatch, stopping: Stopping) -> None:
    sheet = swatch.sheet
    coats = sheet.as_schedule().coats
    schedule = Schedule((*coats[:-1], Coat.from_json(swatch.coat)))
    began = time.monotonic()
    base = base_window(sheet)
    swatch.record(tiles_done=0)
    with canvas_of(sheet.start) as start, canvas_of(sheet.piece.base) as origin:
        fired = fire(
            start, schedule, _work(swatch), window=sheet.box, stopping=stopping, origin=origin,
            on_progress=PartialWindow(swatch, len(schedule.laid), base).on_progress,
            store=tile_store(), enlargements=enlargements(sheet.piece),
        )  # fmt: skip
    canvas = fired.result
    samples = canvas.read(sheet.box)
    path = canvas.path
    canvas.close()
    keep_file(swatch.pixels, path, f"{swatch.pk}.npy")
    found: dict[str, float | None] = dict(
        measures(samples, base, schedule.coats[-1], sheet.size, sheet.box)
    )
    if is_only_near(schedule):
        layer = sheet.piece.layer_at(fired.layers[-1].content_key)
        found["apart"] = apart(samples, swatch, layer)
    finished = swatch.finish(
        pixels=swatch.pixels,
        sha256=key_of(samples),
        seconds=time.monotonic() - began,
        model_seconds=sum(report.model_seconds for report in fired.reports),
        shared=sum(report.shared for report in fired.reports),
        measures=found,
    )
    if not finished:
        swatch.pixels.delete(save=False)


def base_window(sheet: SwatchSheet) -> SampleArray:
    """Return the window of the base, enlarged by Lanczos to the scale of the swatches."""
    with canvas_of(sheet.piece.base) as base:
        return Resampled(base, sheet.size, "lanczos").read(sheet.box)
