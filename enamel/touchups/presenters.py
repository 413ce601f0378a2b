"""The pages of touch-ups and inlays."""

import json
from dataclasses import dataclass
from typing import Any

from django.urls import reverse

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.masks.measured import face_steps
from enamel.core.tiling.words import about_the_face
from enamel.firings import services as firings
from enamel.firings.presenters.refiners import abilities_in
from enamel.library import faces
from enamel.library.models import Layer, Piece
from enamel.touchups import inlays
from enamel.touchups.forms.touch_up import TouchUpForm
from enamel.touchups.models import Candidate, TouchUpDraft

MASK_TOOLS = tuple(
    {
        "brush": "Brush",
        "eraser": "Eraser",
        "lasso": "Lasso",
        "ellipse": "Oval",
        "box": "Box",
    }.items()
)
RECENT = 8
"""How many unfinished touch-ups the workspace offers to return to."""


def present_touch_up(
    piece: Piece, layer: Layer, form: TouchUpForm, changing: Layer | None
) -> dict[str, Any]:
    """Return the panel of touch-ups: faces, the worst first, saved masks, and the cost."""
    return {
        "cost": touch_up_cost(layer, form),
        "abilities": abilities_in(form),
        "faces": [present_face(layer, face) for face in faces.listed(layer)],
        "corrected": piece.faces_kept is not None,
        "kept_masks": piece.masks.all(),
        "piece_words": about_the_face(piece.how_made.prompt),
        "drafts": piece.touch_up_drafts.all()[:RECENT],
        "changing": changing,
        "redo_from": len(firings.after(layer.replaces)) if layer.replaces else 0,
        "mask_tool_list": MASK_TOOLS,
    }


def present_face(layer: Layer, listed: faces.ListedFace) -> dict[str, Any]:
    """Return a face for the list: its place, why it needs a touch-up, its mask."""
    box = listed.face.box
    part = ",".join(str(side) for side in (box.x, box.y, *box.size))
    return {
        "number": listed.number,
        "box": [box.x, box.y, *box.size],
        "turn": listed.face.turn,
        "facts": listed.facts,
        "print_mm": listed.print_mm,
        "crop": f"{reverse('layer-crop', args=[layer.pk])}?box={part}",
        "form": json.dumps(to_json(face_steps([listed.face], 0.0)[0])),
    }


def touch_up_cost(layer: Layer, form: TouchUpForm) -> dict[str, Any] | None:
    """Return cost and working size of the candidates for the current mask; None without a mask."""
    if not form.is_valid():
        return None
    try:
        settings = form.current()
    except Refusal:
        return None
    if settings is None:
        return None
    prediction = firings.predict_steps(layer, [settings])
    placed = settings.placed(settings.patches[0], layer.size)
    cautions = dict.fromkeys(
        words for strength, _ in form.tries for words in placed.cautions(settings.context, strength)
    )
    return {
        "count": len(form.tries),
        "seconds": prediction.seconds * len(form.tries),
        "first": prediction.seconds,
        "working": placed.working,
        "factor": placed.factor,
        "cautions": list(cautions),
    }


@dataclass(frozen=True)
class ShownPlace:
    """One place on the page of candidates."""

    number: int
    name: str
    seen: Box
    """The part of the layer that is shown."""
    candidates: list[Candidate]


def present_draft(draft: TouchUpDraft) -> dict[str, Any]:
    """Return the page of a touch-up's candidates."""
    found: dict[int, list[Candidate]] = {}
    for candidate in draft.candidates.defer("shown"):
        found.setdefault(candidate.place, []).append(candidate)
    settings, size = draft.as_touch_up(), draft.layer.size
    places = [
        ShownPlace(
            number,
            draft.names[number],
            settings.placed(settings.patches[number], size).seen,
            candidates,
        )
        for number, candidates in sorted(found.items())
    ]
    everyone = [candidate for place in places for candidate in place.candidates]
    return {
        "draft": draft,
        "piece": draft.piece,
        "layer": draft.layer,
        "places": places,
        "single": len(places) == 1,
        "pairs": len(places) > 1 and len(everyone) == len(places),
        "open": any(candidate.open for candidate in everyone),
        "done": sum(candidate.state == Candidate.State.DONE for candidate in everyone),
        "count": len(everyone),
        "accepted": sum(candidate.verdict == Candidate.Verdict.ACCEPTED for candidate in everyone),
        "refine": settings.refine,
        "context": settings.context,
        "next_seed": max((c.patch["seed"] for c in everyone), default=0) + 1,
        "last_strength": everyone[-1].patch["strength"] if everyone else 0.45,
        "redo": len(firings.after(draft.replaces)) if draft.replaces else 0,
    }


def present_inlay(piece: Piece, layer: Layer) -> dict[str, Any]:
    """Return the panel of inlays, with what can be laid over the layer."""
    return {
        "sources": inlays.sources_of(piece, layer),
        "kept_masks": piece.masks.all(),
        "mask_tool_list": MASK_TOOLS,
    }
