"""A piece's workspace: the picture, its section, the settings of what is done next."""

from dataclasses import replace
from urllib.parse import urlencode
from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.forms import Form
from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.core.schedule import Schedule
from enamel.kiln.bureau import asking as bureau
from enamel.kiln.firings import asking as firings
from enamel.kiln.mending import masks
from enamel.kiln.models import Layer, Piece
from enamel.kiln.swatches import asking as swatches
from enamel.kiln.swatches.nearness import is_only_near
from enamel.studio.forms import CoatForm, PrintForm, SheetForm
from enamel.studio.shown.draft import EDITS, Draft
from enamel.studio.shown.prints import planned, print_shown
from enamel.studio.shown.workspace import Workspace, draft_of, schedule_cost, start_of
from enamel.studio.templatetags.enamel import duration
from enamel.studio.views.access import own_layer, own_piece, posted_id, unit_of


@require_GET
@login_required
def piece(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    workspace = Workspace(own_piece(request, piece_id), request.GET, unit_of(request))
    return render(request, "studio/workspace/piece.html", workspace.shown())


@require_POST
@login_required
def schedule(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Keep the current coat, then do what the button says: edit the schedule, fire, or send out."""
    piece = own_piece(request, piece_id)
    wanted = request.POST.get("do", "")
    if wanted in ("undo", "redo"):
        getattr(piece, wanted)()
        return _to_coat(request, piece, draft_of(piece, request.POST.get("coat")))
    draft, form = _in_hand(request, piece)
    if not form.is_valid():
        return again(request, piece, "coat", form)
    try:
        draft = draft.with_coat(form.coat())
        if wanted in EDITS:
            draft = getattr(draft, wanted)()
        if wanted == "swatch":
            return _try(request, piece, draft, form)
        piece.keep_schedule(draft.schedule)
        if wanted == "send-out":
            layer = own_layer(request, posted_id(request, "layer"))
            return redirect(
                "sent-coat", bureau.ask_for_offer(layer, replace(draft.coat, on=True)).pk
            )
        if wanted.startswith("fire"):
            _fire(request, piece, draft, wanted, form.cleaned_data["run_of"])
            return redirect(piece)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return again(request, piece, "coat", form)
    return _to_coat(request, piece, draft)


def _to_coat(request: HttpRequest, piece: Piece, draft: Draft) -> HttpResponse:
    picked = {"layer": request.POST.get("layer", ""), "task": "coat", "coat": draft.number}
    return redirect(f"{piece.get_absolute_url()}?{urlencode(picked)}")


def _in_hand(request: HttpRequest, piece: Piece) -> tuple[Draft, CoatForm]:
    """The schedule with the coat that was sent, and the form of that coat."""
    draft = draft_of(piece, request.POST.get("coat"))
    start = start_of(draft, piece.base.size)
    protect = draft.coat.refine.protect if draft.coat.refine else None
    form = CoatForm(
        request.POST, start=start, print_plan=piece.print_plan, masks=masks.named(piece),
        current=protect,
    )  # fmt: skip
    return draft, form


@require_POST
@login_required
def swatch_cost(request: HttpRequest, piece_id: UUID) -> JsonResponse:
    """How many swatches are asked for and about how long they take, in words; and where it is less."""
    piece = own_piece(request, piece_id)
    draft, form = _in_hand(request, piece)
    asked = SheetForm(request.POST)
    if not form.is_valid() or not asked.is_valid():
        wrong = [error for errors in (asked.errors | form.errors).values() for error in errors]
        return JsonResponse({"words": " ".join(map(str, wrong))})
    draft = draft.with_coat(form.coat())
    tried = Schedule((*draft.schedule.coats[: draft.number], replace(draft.coat, on=True)))
    try:
        cost = swatches.predicted(piece, tried, asked.cleaned_data["window"], asked.axes)
    except Refusal as refusal:
        return JsonResponse({"words": str(refusal)})
    words = f"{cost.count} swatch{'es' if cost.count > 1 else ''}, about {duration(cost.seconds)} in all."
    if is_only_near(tried):
        words += " In joint mode this refiner looks beyond a window: near the firing, not the same."
    if cost.moved is None:
        return JsonResponse({"words": words})
    moved = {
        "words": f"Move it to where fewer tiles meet: about {duration(cost.moved_seconds)}",
        "box": [cost.moved.x, cost.moved.y, *cost.moved.size],
    }
    return JsonResponse({"words": words, "moved": moved})


def _try(request: HttpRequest, piece: Piece, draft: Draft, form: CoatForm) -> HttpResponse:
    """A sheet of swatches of the current coat, on the window and over the values asked for."""
    asked = SheetForm(request.POST)
    if not asked.is_valid():
        for name, errors in asked.errors.items():
            form.add_error(None, f"{asked.fields[name].label}: {' '.join(map(str, errors))}")
        return again(request, piece, "coat", form)
    piece.keep_schedule(draft.schedule)
    coats = (*draft.schedule.coats[: draft.number], replace(draft.coat, on=True))
    sheet = swatches.ask(
        piece, Schedule(coats), draft.number, asked.cleaned_data["window"], asked.axes
    )
    return redirect("sheet", sheet.pk)


def _fire(request: HttpRequest, piece: Piece, draft: Draft, wanted: str, seeds: int) -> None:
    """The whole schedule from the base; or, on the layer that is shown, this coat, this one and
    those after it, or this one with a run of seeds."""
    if wanted == "fire":
        firings.enqueue_schedule(piece.base, draft.schedule)
        return
    layer = own_layer(request, posted_id(request, "layer"))
    if wanted == "fire-seeds":
        chosen = draft.seeds(seeds)
    else:
        chosen = [draft.onward() if wanted == "fire-onward" else draft.alone()]
    for schedule in chosen:
        firings.enqueue_schedule(layer, schedule)


@require_POST
@login_required
def schedule_cost_view(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Keep a change of the current coat, and show what follows from it, as a piece of page."""
    piece = own_piece(request, piece_id)
    draft, form = _in_hand(request, piece)
    if not form.is_valid():
        return render(request, "studio/shared/refused.html", {"form": form})
    draft = draft.with_coat(form.coat())
    try:
        shown = schedule_cost(piece, draft)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return render(request, "studio/shared/refused.html", {"form": form})
    piece.keep_schedule(draft.schedule)
    shown |= {"undoable": piece.undoable, "fresh": True}
    return render(request, "studio/workspace/schedule_cost.html", shown)


@require_POST
@login_required
def print_view(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Keep a change of the current print, and show what follows from it, as a piece of page."""
    piece = own_piece(request, piece_id)
    layer = own_layer(request, posted_id(request, "layer"))
    form = PrintForm(request.POST, start=piece.base.size, unit=unit_of(request))
    if not form.is_valid():
        return render(request, "studio/shared/refused.html", {"form": form})
    try:
        shown = print_shown(piece, layer, form)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return render(request, "studio/shared/refused.html", {"form": form})
    piece.keep_print(form.plan())
    return render(request, "studio/workspace/print_consequences.html", shown | {"form": form})


@require_POST
@login_required
def use_plan(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Put the proposed coats in the place of the schedule."""
    piece = own_piece(request, piece_id)
    form = PrintForm(request.POST, start=piece.base.size, unit=unit_of(request))
    if not form.is_valid():
        return again(request, piece, "print", form)
    try:
        coats = planned(piece, form)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return again(request, piece, "print", form)
    piece.keep_print(form.plan())
    piece.keep_schedule(Schedule(tuple(stage.coat for stage in coats)))
    return redirect(f"{piece.get_absolute_url()}?task=coat")


def again(
    request: HttpRequest, piece: Piece, task: str, form: Form, layer: Layer | None = None
) -> HttpResponse:
    """The workspace with a form that can't be used as it is."""
    picked = QueryDict(mutable=True)
    picked.update({"task": task, "coat": request.POST.get("coat", "")})
    picked["layer"] = str(layer.pk) if layer else request.POST.get("layer", "")
    workspace = Workspace(piece, picked, unit_of(request), form)
    return render(request, "studio/workspace/piece.html", workspace.shown(), status=422)
