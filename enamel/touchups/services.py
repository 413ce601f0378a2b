"""Submit candidates for touch-ups, judge them, and fire the layer that results."""

from collections.abc import Sequence
from dataclasses import replace

from django.db import transaction

from enamel.accounts.quotas import require_space
from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.masks import Mask
from enamel.core.masks.coverage import require_covered
from enamel.core.masks.drawn import RenderedMask
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.firings.touch_ups import patch_key
from enamel.jobs import services as jobs
from enamel.library.layers import piece_work
from enamel.library.models import Layer
from enamel.touchups.models import Candidate, TouchUpDraft

MOST_CANDIDATES = 200
"""Most candidates of one touch-up: a crowd of twenty with ten each."""


def submit_candidates(
    layer: Layer,
    settings: TouchUp,
    tries: Sequence[tuple[float, int]],
    names: Sequence[str] = (),
    replaces: Layer | None = None,
) -> TouchUpDraft:
    """Submit candidates for every place of a touch-up, the first of each place first.

    Parameters
    ----------
    settings : its patches are the places.
    tries : denoising strength and seed of each candidate.
    names : name of each place.
    replaces : the layer of the touch-up that this one changes.

    Raises
    ------
    Refusal
        When a mask covers nothing, or there would be too many candidates.
    """
    # as it will be read back, so that content keys are the same later
    settings = TouchUp.from_json(to_json(settings))
    settings.within(layer.size)
    count = len(settings.patches) * len(tries)
    if count > MOST_CANDIDATES:
        raise Refusal(
            f"These are {count} candidates; at most {MOST_CANDIDATES} can be asked for at once. "
            "Choose fewer seeds or strengths, or fewer places."
        )
    each = [
        (place, number, replace(patch, strength=strength, seed=seed))
        for place, patch in enumerate(settings.patches)
        for number, (strength, seed) in enumerate(tries)
    ]
    asked = replace(settings, patches=tuple(patch for _, _, patch in each))
    cost = firings.predict_steps(layer, [asked])
    needed_mb = max(coat.disk_mb for coat in cost.coats)
    require_space(layer.piece.owner_id, needed_mb, piece_work(layer.piece))
    with transaction.atomic():
        draft = TouchUpDraft.objects.create(
            piece=layer.piece, layer=layer, settings=to_json(settings), replaces=replaces,
            names=list(names) or [f"Place {n + 1}" for n in range(len(settings.patches))],
            predicted_seconds=cost.seconds,
        )  # fmt: skip
        for place, number, patch in each:
            _queue(draft, settings, place, number, patch)
    return draft


def _queue(draft: TouchUpDraft, settings: TouchUp, place: int, number: int, patch: Patch) -> None:
    around = settings.placed(patch, draft.layer.size).around
    candidate = Candidate(
        draft=draft, place=place, number=number, patch=to_json(patch),
        content_key=patch_key(draft.layer, settings, patch),
        around=[around.x, around.y, *around.size],
    )  # fmt: skip
    jobs.submit(candidate)


def more(draft: TouchUpDraft, strength: float, seed: int) -> None:
    """Submit one more candidate for every place of a touch-up."""
    settings = draft.as_touch_up()
    last = draft.candidates.order_by("-number").first()
    number = last.number + 1 if last else 0
    if draft.candidates.count() + len(settings.patches) > MOST_CANDIDATES:
        raise Refusal(f"This touch-up has {MOST_CANDIDATES} candidates already; begin a new one.")
    with transaction.atomic():
        for place, patch in enumerate(settings.patches):
            tried = replace(patch, strength=strength, seed=seed)
            _queue(draft, settings, place, number, tried)


def judge(candidate: Candidate, verdict: str) -> None:
    """Accept or reject a candidate, or withdraw the verdict. At most one of a place's candidates is laid
    whole; painted ones are laid over it.
    """
    with transaction.atomic():
        if verdict == Candidate.Verdict.ACCEPTED and candidate.over is None:
            others = candidate.draft.candidates.filter(place=candidate.place, over__isnull=True)
            others.filter(verdict=Candidate.Verdict.ACCEPTED).update(verdict="")
        candidate.verdict = verdict
        candidate.save(update_fields=["verdict"])


def paint(candidate: Candidate, over: Mask | None) -> None:
    """Restrict a candidate to a mask, which accepts it; without a mask it is laid whole again."""
    if over is not None and over.steps:
        require_covered(RenderedMask(over, candidate.draft.layer.size))
        candidate.over = to_json(over)
        candidate.verdict = Candidate.Verdict.ACCEPTED
    else:
        candidate.over, candidate.verdict = None, ""
    candidate.save(update_fields=["over", "verdict"])


def chosen(draft: TouchUpDraft) -> TouchUp:
    """Return the touch-up of the accepted candidates: for each place the one laid whole, then the painted
    ones.

    Raises
    ------
    Refusal
        When nothing was accepted.
    """
    accepted = draft.candidates.filter(verdict=Candidate.Verdict.ACCEPTED)
    ordered = sorted(accepted, key=lambda one: (one.place, one.over is not None, one.number))
    if not ordered:
        raise Refusal("Nothing is accepted yet. Accept a candidate, or paint with one.")
    return replace(
        draft.as_touch_up(), patches=tuple(candidate.as_patch() for candidate in ordered)
    )


def lay(draft: TouchUpDraft) -> Firing:
    """Submit a firing that makes a layer of the accepted candidates. Their pixels exist already."""
    return firings.enqueue_touch_up(draft.layer, chosen(draft), draft.replaces)


def stop(draft: TouchUpDraft) -> None:
    """Stop making candidates: a running one ends after its current tile, waiting ones are not begun."""
    draft.candidates.all().stop()


def delete(draft: TouchUpDraft) -> None:
    """Delete a touch-up in preparation, with the pixels of its candidates. Layers made of them stay."""
    stop(draft)
    for candidate in draft.candidates.exclude(pixels=""):
        candidate.pixels.delete(save=False)
    draft.delete()
