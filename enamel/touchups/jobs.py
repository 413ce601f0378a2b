"""Make candidates in workers: one place refined with one seed, with a preview."""

import shutil
import time
from pathlib import Path

import numpy as np

from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Cropped, SampleArray
from enamel.core.imaging.encoded import webp_of
from enamel.core.imaging.reduce import reduced
from enamel.core.pipeline.touchup import Known, make_patch, show_patch, source_of
from enamel.firings import touch_ups
from enamel.jobs.locks import advisory_lock
from enamel.jobs.running import Stopping, carries_out
from enamel.library.layers import canvas_of, piece_work
from enamel.library.models import Layer
from enamel.storage.files import keep_file
from enamel.touchups.models import Candidate, TouchUpDraft

SHOWN = 900
"""Longest side of a candidate's preview, in px."""


def _work(candidate: Candidate) -> Path:
    """Return the folder for a candidate while it is made."""
    return piece_work(candidate.draft.piece) / f"candidate-{candidate.pk}"


def _clean_up(candidate: Candidate) -> None:
    shutil.rmtree(_work(candidate), ignore_errors=True)


@carries_out(Candidate, _clean_up)
def make(candidate: Candidate, stopping: Stopping) -> None:
    """Make one candidate: its pixels and its preview."""
    with advisory_lock(f"{candidate.draft.piece_id} {candidate.content_key}"):
        _make(candidate, stopping)


def _make(candidate: Candidate, stopping: Stopping) -> None:
    began = time.monotonic()
    draft = candidate.draft
    settings = draft.as_touch_up()
    placed = settings.placed(candidate.as_patch(), draft.layer.size)
    with canvas_of(draft.layer) as layer, canvas_of(draft.piece.base) as base:
        source = source_of(layer, base, settings)
        made = make_patch(source, placed, _work(candidate), stopping=stopping)
        samples = made.samples.read(Box.whole(placed.around.size))[..., :3]
        shown = webp_of(show_patch(layer, samples, placed, settings.match), SHOWN)
    path = _work(candidate) / "candidate.npy"
    np.save(path, samples)
    keep_file(candidate.pixels, path, f"{candidate.pk}.npy")
    finished = candidate.finish(
        pixels=candidate.pixels,
        shown=shown,
        seconds=time.monotonic() - began,
        model_seconds=sum(report.model_seconds for report in made.fired.reports),
    )
    if not finished:
        candidate.pixels.delete(save=False)


def before(draft: TouchUpDraft, place: int) -> bytes:
    """Return the place as it is on the layer, at the size of the candidates' previews."""
    settings = draft.as_touch_up()
    seen = settings.placed(settings.patches[place], draft.layer.size).seen
    with canvas_of(draft.layer) as layer:
        part = Cropped(layer, seen)
        scale = min(1.0, SHOWN / max(seen.size))
        return webp_of(reduced(part, seen.size.scaled(scale)), SHOWN)


def known_patches(layer: Layer, content_keys: list[str]) -> Known:
    """Find the pixels of candidates with these content keys, by the patch's number."""
    made = {
        candidate.content_key: candidate
        for candidate in Candidate.objects.filter(
            draft__piece=layer.piece, content_key__in=content_keys, state=Candidate.State.DONE
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
