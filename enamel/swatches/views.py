"""Swatch sheets: submitted from the workspace, shown, marked, applied."""

from dataclasses import replace
from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.core.imaging.encoded import png_of
from enamel.core.schedule import Coat, Schedule
from enamel.firings import services as firings
from enamel.firings.draft import Draft
from enamel.firings.forms.coat import CoatForm
from enamel.firings.presenters.schedule import draft_of, result_of
from enamel.firings.views.schedule import act_on_coat, read_coat
from enamel.library.access import own_piece
from enamel.library.viewing import MOST_COMPARED, middle_of
from enamel.library.views.layers import A_MONTH
from enamel.swatches import services
from enamel.swatches.access import own_sheet, own_swatch
from enamel.swatches.forms import SheetForm
from enamel.swatches.jobs import base_window
from enamel.swatches.models import Swatch
from enamel.swatches.nearness import is_only_near
from enamel.swatches.panels import WINDOW
from enamel.swatches.pixels import pixels_of
from enamel.web.templatetags.enamel import duration
from enamel.workspace.views import show_again

SORTS = {"grid": "As laid out", "sharpness": "Sharpest first", "drift": "Nearest to the base first",
         "joins": "Least visible joins first"}  # fmt: skip


@require_GET
@login_required
def windows(request: HttpRequest, piece_id: UUID) -> JsonResponse:
    """Return suggested windows, in px of the current coat's result."""
    piece = own_piece(request, piece_id)
    draft = draft_of(piece, request.GET.get("coat"))
    size = result_of(draft, piece.base.size)
    newest = piece.layers.order_by("-created").first() or piece.base
    found = services.suggestions(newest, size, WINDOW, draft.coat.refine)
    return JsonResponse({"windows": found})


@require_POST
@login_required
def swatch_cost(request: HttpRequest, piece_id: UUID) -> JsonResponse:
    """Return in words how many swatches a sheet has and how long it takes, and where it would take less."""
    piece = own_piece(request, piece_id)
    draft, form = read_coat(request, piece)
    asked = SheetForm(request.POST)
    if not form.is_valid() or not asked.is_valid():
        wrong = [error for errors in (asked.errors | form.errors).values() for error in errors]
        return JsonResponse({"words": " ".join(map(str, wrong))})
    draft = draft.with_coat(form.coat())
    tried = Schedule((*draft.schedule.coats[: draft.number], replace(draft.coat, on=True)))
    try:
        cost = services.predicted(piece, tried, asked.cleaned_data["window"], asked.axes)
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


@require_POST
@login_required
def make(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Submit a sheet of swatches of the current coat."""
    piece = own_piece(request, piece_id)

    def act(draft: Draft, form: CoatForm) -> HttpResponse:
        asked = SheetForm(request.POST)
        if not asked.is_valid():
            for name, errors in asked.errors.items():
                form.add_error(None, f"{asked.fields[name].label}: {' '.join(map(str, errors))}")
            return show_again(request, piece, "coat", form)
        coats = (*draft.schedule.coats[: draft.number], replace(draft.coat, on=True))
        piece.keep_schedule(draft.schedule)
        sheet = services.submit_sheet(
            piece, Schedule(coats), draft.number, asked.cleaned_data["window"], asked.axes
        )
        return redirect("sheet", sheet.pk)

    return act_on_coat(request, piece, act)


@require_GET
@login_required
def sheet(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    shown = own_sheet(request, sheet_id)
    sort = request.GET.get("sort", "grid")
    cells = list(shown.swatches.defer("so_far"))
    if sort == "sharpness":
        cells.sort(key=lambda cell: -cell.measures.get("sharpness", -1))
    elif sort in ("drift", "joins"):
        cells.sort(key=lambda cell: cell.measures.get(sort, 1e9))
    made = [cell for cell in cells if cell.state == Swatch.State.DONE]
    return render(
        request,
        "swatches/swatches.html",
        {
            "sheet": shown,
            "piece": shown.piece,
            "swatches": cells,
            "sorts": SORTS,
            "sort": sort if sort in SORTS else "grid",
            "done": len(made),
            "together": ",".join(
                [str(shown.piece.base.pk), *(f"s{cell.pk}" for cell in made)][:MOST_COMPARED]
            ),
            "middle": middle_of(shown.box, shown.size),
            "open": any(cell.open for cell in cells),
            "shared": sum(cell.shared for cell in cells),
        },
    )


@require_GET
@login_required
def state(request: HttpRequest, sheet_id: UUID) -> JsonResponse:
    """Return the state of each swatch of a sheet."""
    shown = own_sheet(request, sheet_id)
    news = [
        {"number": cell.pk, "state": cell.state, "error": cell.error, "seconds": cell.seconds,
         "measures": cell.measures, "url": _url(cell)}
        for cell in shown.swatches.defer("so_far")
    ]  # fmt: skip
    return JsonResponse({"swatches": news})


def _url(swatch: Swatch) -> str | None:
    """Return the address of a swatch's picture, finished or in progress."""
    if swatch.state == Swatch.State.DONE:
        return reverse("swatch-picture", args=[swatch.pk])
    if swatch.open and swatch.tiles_done:
        return f"{reverse('swatch-so-far', args=[swatch.pk])}?tiles={swatch.tiles_done}"
    return None


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def picture(request: HttpRequest, number: int) -> HttpResponse:
    """Send a swatch's pixels as 8-bit PNG."""
    swatch = own_swatch(request, number)
    if swatch.state != Swatch.State.DONE:
        raise Http404
    return HttpResponse(png_of(pixels_of(swatch)), content_type="image/png")


@require_GET
@login_required
def so_far(request: HttpRequest, number: int) -> HttpResponse:
    """Send a swatch in progress; 204 once it is finished."""
    seen = own_swatch(request, number).so_far
    return HttpResponse(seen, content_type="image/webp") if seen else HttpResponse(status=204)


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def base_picture(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """Send the base in the sheet's window, enlarged by Lanczos."""
    shown = own_sheet(request, sheet_id)
    return HttpResponse(png_of(base_window(shown)), content_type="image/png")


@require_POST
@login_required
def verdict(request: HttpRequest, number: int) -> JsonResponse:
    """Mark a swatch a favourite or a reject. Its present mark, sent again, is removed."""
    swatch = own_swatch(request, number)
    asked = request.POST.get("verdict", "")
    known = asked in Swatch.Verdict.values and asked != swatch.verdict
    swatch.verdict = asked if known else ""
    swatch.save(update_fields=["verdict"])
    return JsonResponse({"verdict": swatch.verdict})


@require_POST
@login_required
def take(request: HttpRequest, number: int) -> HttpResponse:
    """Apply a swatch's settings to the coat; on request also fire, or submit a narrower sheet."""
    swatch = own_swatch(request, number)
    shown, piece = swatch.sheet, swatch.sheet.piece
    draft = draft_of(piece, str(shown.coat)).with_coat(Coat.from_json(swatch.coat))
    wanted = request.POST.get("do", "take")
    if wanted == "around":
        tried = Schedule((*draft.schedule.coats[: shown.coat], draft.coat))
        axes = services.narrower(swatch)
        return redirect(
            "sheet", services.submit_sheet(piece, tried, shown.coat, shown.box, axes).pk
        )
    piece.keep_schedule(draft.schedule)
    if wanted == "fire":
        firings.enqueue_schedule(piece.base, Schedule(draft.schedule.coats[: shown.coat + 1]))
        return redirect(piece)
    return redirect(f"{piece.get_absolute_url()}?task=coat&coat={draft.number}")


@require_POST
@login_required
def stop(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    shown = own_sheet(request, sheet_id)
    services.stop(shown)
    return redirect("sheet", shown.pk)


@require_POST
@login_required
def pin(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """Pin or unpin a sheet. Pinned ones come first in the tray."""
    shown = own_sheet(request, sheet_id)
    shown.pinned = not shown.pinned
    shown.save(update_fields=["pinned"])
    return redirect("sheet", shown.pk)


@require_POST
@login_required
def delete(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    shown = own_sheet(request, sheet_id)
    services.delete(shown)
    return redirect(shown.piece)
