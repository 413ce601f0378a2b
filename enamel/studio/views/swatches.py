"""Swatch sheets: asked for from the workspace, looked at, marked, taken over."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.api import own
from enamel.core.export.output import FileFormat
from enamel.core.imaging.encoded import png_of
from enamel.core.schedule import Coat, Schedule
from enamel.kiln import prints
from enamel.kiln.firings import asking as firings
from enamel.kiln.models import Swatch
from enamel.kiln.storage.swatches import pixels_of
from enamel.kiln.swatches import asking as swatches
from enamel.kiln.swatches.running import base_window
from enamel.studio.shown.compare import MOST, middle_of
from enamel.studio.shown.workspace import WINDOW, draft_of, result_of
from enamel.studio.views.access import own_piece
from enamel.studio.views.layers import A_MONTH

SORTS = {"grid": "As laid out", "sharpness": "Sharpest first", "drift": "Nearest to the base first",
         "joins": "Least visible joins first"}  # fmt: skip


own_sheet, own_swatch = own.sheet, own.swatch


@require_GET
@login_required
def windows(request: HttpRequest, piece_id: UUID) -> JsonResponse:
    """Windows worth trying, in px of the current coat's result."""
    piece = own_piece(request, piece_id)
    draft = draft_of(piece, request.GET.get("coat"))
    size = result_of(draft, piece.base.size)
    newest = piece.layers.order_by("-created").first() or piece.base
    found = swatches.suggestions(newest, size, WINDOW, draft.coat.refine)
    return JsonResponse({"windows": found})


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
        "studio/sheet/swatches.html",
        {
            "sheet": shown,
            "piece": shown.piece,
            "swatches": cells,
            "sorts": SORTS,
            "sort": sort if sort in SORTS else "grid",
            "done": len(made),
            "together": ",".join(
                [str(shown.piece.base.pk), *(f"s{cell.pk}" for cell in made)][:MOST]
            ),
            "middle": middle_of(shown.box, shown.size),
            "open": any(cell.open for cell in cells),
            "shared": sum(cell.shared for cell in cells),
        },
    )


@require_GET
@login_required
def state(request: HttpRequest, sheet_id: UUID) -> JsonResponse:
    """What each swatch of a sheet has come to."""
    shown = own_sheet(request, sheet_id)
    news = [
        {"number": cell.pk, "state": cell.state, "error": cell.error, "seconds": cell.seconds,
         "measures": cell.measures, "url": _url(cell)}
        for cell in shown.swatches.defer("so_far")
    ]  # fmt: skip
    return JsonResponse({"swatches": news})


def _url(swatch: Swatch) -> str | None:
    """Where the swatch can be seen: finished, or as far as it has come."""
    if swatch.state == Swatch.State.DONE:
        return reverse("swatch-picture", args=[swatch.pk])
    if swatch.open and swatch.tiles_done:
        return f"{reverse('swatch-so-far', args=[swatch.pk])}?tiles={swatch.tiles_done}"
    return None


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def picture(request: HttpRequest, number: int) -> HttpResponse:
    """A swatch's very pixels, as 8-bit PNG."""
    swatch = own_swatch(request, number)
    if swatch.state != Swatch.State.DONE:
        raise Http404
    return HttpResponse(png_of(pixels_of(swatch)), content_type="image/png")


@require_GET
@login_required
def so_far(request: HttpRequest, number: int) -> HttpResponse:
    """A swatch while it is made; no content once it is finished."""
    seen = own_swatch(request, number).so_far
    return HttpResponse(seen, content_type="image/webp") if seen else HttpResponse(status=204)


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def base_picture(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """The base in the sheet's window, enlarged by Lanczos."""
    shown = own_sheet(request, sheet_id)
    return HttpResponse(png_of(base_window(shown)), content_type="image/png")


@require_POST
@login_required
def strip(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """Have the sheet written as one labelled picture at the resolution of the current print."""
    shown = own_sheet(request, sheet_id)
    file = {"png": FileFormat.PNG, "tif": FileFormat.TIFF}.get(request.POST.get("kind", ""))
    if file is None or not shown.swatches.filter(state=Swatch.State.DONE).exists():
        raise Http404
    made = prints.order_sheet(shown, file)
    return redirect(f"{reverse('print-files')}?fresh={made.pk}")


@require_POST
@login_required
def verdict(request: HttpRequest, number: int) -> JsonResponse:
    """Mark a swatch a favourite or a reject; the mark it has already takes it off."""
    swatch = own_swatch(request, number)
    asked = request.POST.get("verdict", "")
    known = asked in Swatch.Verdict.values and asked != swatch.verdict
    swatch.verdict = asked if known else ""
    swatch.save(update_fields=["verdict"])
    return JsonResponse({"verdict": swatch.verdict})


@require_POST
@login_required
def take(request: HttpRequest, number: int) -> HttpResponse:
    """Put a swatch's settings into the coat; fire with them, or make a narrower sheet, if asked."""
    swatch = own_swatch(request, number)
    shown, piece = swatch.sheet, swatch.sheet.piece
    draft = draft_of(piece, str(shown.coat)).with_coat(Coat.from_json(swatch.coat))
    wanted = request.POST.get("do", "take")
    if wanted == "around":
        tried = Schedule((*draft.schedule.coats[: shown.coat], draft.coat))
        axes = swatches.narrower(swatch)
        return redirect("sheet", swatches.ask(piece, tried, shown.coat, shown.box, axes).pk)
    piece.keep_schedule(draft.schedule)
    if wanted == "fire":
        firings.enqueue_schedule(piece.base, Schedule(draft.schedule.coats[: shown.coat + 1]))
        return redirect(piece)
    return redirect(f"{piece.get_absolute_url()}?task=coat&coat={draft.number}")


@require_POST
@login_required
def stop(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    shown = own_sheet(request, sheet_id)
    swatches.stop(shown)
    return redirect("sheet", shown.pk)


@require_POST
@login_required
def pin(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """Pin a sheet or take the pin off: pinned ones stand first in the tray."""
    shown = own_sheet(request, sheet_id)
    shown.pinned = not shown.pinned
    shown.save(update_fields=["pinned"])
    return redirect("sheet", shown.pk)


@require_POST
@login_required
def delete(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    shown = own_sheet(request, sheet_id)
    swatches.delete(shown)
    return redirect(shown.piece)
