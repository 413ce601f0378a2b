"""Change the schedule of a piece, fire it, and show its result and cost."""

from collections.abc import Callable
from urllib.parse import urlencode
from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from enamel.core.errors import Refusal
from enamel.firings import services
from enamel.firings.draft import EDITS, Draft
from enamel.firings.forms.coat import CoatForm
from enamel.firings.presenters.schedule import draft_of, schedule_cost, start_of
from enamel.library import masks
from enamel.library.access import own_layer, own_piece
from enamel.library.models import Piece
from enamel.web.parameters import posted_id
from enamel.workspace.views import show_again


@require_POST
@login_required
def schedule(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save the current coat, then do what the button says: edit the schedule, or fire."""
    piece = own_piece(request, piece_id)
    wanted = request.POST.get("do", "")
    if wanted in ("undo", "redo"):
        getattr(piece, wanted)()
        return _to_coat(request, piece, draft_of(piece, request.POST.get("coat")))

    def act(draft: Draft, form: CoatForm) -> HttpResponse:
        if wanted in EDITS:
            draft = getattr(draft, wanted)()
        piece.keep_schedule(draft.schedule)
        if wanted.startswith("fire"):
            _fire(request, piece, draft, wanted, form.cleaned_data["run_of"])
            return redirect(piece)
        return _to_coat(request, piece, draft)

    return act_on_coat(request, piece, act)


def act_on_coat(
    request: HttpRequest, piece: Piece, act: Callable[[Draft, CoatForm], HttpResponse]
) -> HttpResponse:
    """Act on the schedule and the coat that was sent; show the form again when that is refused.

    Parameters
    ----------
    act : called with the schedule that has the coat in its place, and the coat's valid form.
    """
    draft, form = read_coat(request, piece)
    if not form.is_valid():
        return show_again(request, piece, "coat", form)
    try:
        return act(draft.with_coat(form.coat()), form)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return show_again(request, piece, "coat", form)


def _to_coat(request: HttpRequest, piece: Piece, draft: Draft) -> HttpResponse:
    picked = {"layer": request.POST.get("layer", ""), "task": "coat", "coat": draft.number}
    return redirect(f"{piece.get_absolute_url()}?{urlencode(picked)}")


def read_coat(request: HttpRequest, piece: Piece) -> tuple[Draft, CoatForm]:
    """Return the schedule with the coat that was sent, and the form of that coat."""
    draft = draft_of(piece, request.POST.get("coat"))
    start = start_of(draft, piece.base.size)
    protect = draft.coat.refine.protect if draft.coat.refine else None
    form = CoatForm(
        request.POST, start=start, print_plan=piece.print_plan, masks=masks.named(piece),
        current=protect,
    )  # fmt: skip
    return draft, form


def _fire(request: HttpRequest, piece: Piece, draft: Draft, wanted: str, seeds: int) -> None:
    """Fire the whole schedule from the base; or, on the layer shown, the current coat, this one and those
    after it, or this one with several seeds.
    """
    if wanted == "fire":
        services.enqueue_schedule(piece.base, draft.schedule)
        return
    layer = own_layer(request, posted_id(request, "layer"))
    if wanted == "fire-seeds":
        chosen = draft.seeds(seeds)
    else:
        chosen = [draft.onward() if wanted == "fire-onward" else draft.alone()]
    for schedule in chosen:
        services.enqueue_schedule(layer, schedule)


@require_POST
@login_required
def schedule_cost_view(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save a change of the current coat, and return the part of the page that depends on it."""
    piece = own_piece(request, piece_id)
    draft, form = read_coat(request, piece)
    if not form.is_valid():
        return render(request, "web/refused.html", {"form": form})
    draft = draft.with_coat(form.coat())
    try:
        shown = schedule_cost(piece, draft)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return render(request, "web/refused.html", {"form": form})
    piece.keep_schedule(draft.schedule)
    shown |= {"undoable": piece.undoable, "fresh": True}
    return render(request, "firings/schedule_cost.html", shown)
