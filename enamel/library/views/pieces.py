"""The pieces of an artist: importing, finding, marking, deleting and restoring."""

import mimetypes
from typing import Any
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.files.uploadedfile import UploadedFile
from django.core.paginator import Paginator
from django.http import (
    FileResponse,
    HttpRequest,
    HttpResponse,
    JsonResponse,
    StreamingHttpResponse,
)
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.core.export.openraster import MEDIA_TYPE
from enamel.core.intake.cuts import Cuts
from enamel.core.written import read_cuts
from enamel.library import services
from enamel.library.access import own_piece
from enamel.library.archives.writing import archive_of, name_of
from enamel.library.layers import canvas_of
from enamel.library.models import Piece
from enamel.library.presenters import PieceSearch
from enamel.library.pyramids import thumbnail
from enamel.library.receiving import receive_file
from enamel.uploads.models import Upload
from enamel.web.downloads import send, stream
from enamel.web.parameters import back_to, posted_id

PER_PAGE = 60
SHEET_SIDE = 1600
"""Longest side, in px, of a contact sheet that cuts are drawn on."""


@require_GET
@login_required
def pieces(request: HttpRequest) -> HttpResponse:
    """Show a page of pieces: searched, filtered by mark and tag, sorted."""
    own = Piece.objects.of(request.user)
    finding = PieceSearch(own, request.GET)
    page = Paginator(finding.found.with_newest_layer(), PER_PAGE).get_page(request.GET.get("page"))
    shown = {
        **finding.shown,
        "page": page,
        "dropped": own.filter(mark=Piece.Mark.DROP).count(),
        "recently_deleted": Piece.objects.recently_deleted(request.user).count(),
        "all": own.count(),
        "uploads": Upload.objects.of(request.user).in_sight().exclude(kind=Upload.Kind.MODEL),
    }
    return render(request, "library/pieces.html", shown)


@require_POST
@login_required
def import_picture(request: HttpRequest) -> HttpResponse:
    """Make a piece of each file. Files that can't be used are refused one by one, by name."""
    made: list[Piece] = []
    uploads: list[Upload] = []
    refused: list[dict[str, str]] = []
    for file in request.FILES.getlist("files"):
        assert isinstance(file, UploadedFile)
        name = file.name or "picture"
        try:
            found = receive_file(person(request), file, name)
        except Refusal as refusal:
            refused.append({"name": name, "reason": str(refusal)})
            continue
        if isinstance(found, Upload):
            uploads.append(found)
        else:
            made.append(found)
    if request.headers.get("Accept") == "application/json":
        answer = {
            "pieces": [_imported_row(piece) for piece in made],
            "uploads": [
                {"name": one.name, "stateUrl": reverse("upload-state", args=[one.pk])}
                for one in uploads
            ],
            "refused": refused,
        }
        return JsonResponse(answer, status=200 if made or uploads else 422)
    for entry in refused:
        messages.error(request, f"{entry['name']}: {entry['reason']}")
    if not made and not refused and not uploads:
        messages.error(request, "No file was chosen. Choose one or more pictures first.")
    return redirect(made[0]) if len(made) == 1 and not uploads else redirect("pieces")


def _imported_row(piece: Piece) -> dict[str, Any]:
    """Return what the page shows of a piece that was just imported."""
    note = ""
    if piece.copy_of:
        base, original = piece.base.size, piece.copy_of
        how = "A smaller copy" if base.width < original.base.width else "The same picture"
        note = f"{how} of “{original.title}” ({original.base.size}), which is here already."
    elif piece.cuts:
        count = len(piece.cuts["columns"]) * len(piece.cuts["rows"])
        note = f"Looks like a contact sheet of {count} candidates; it can be split."
    return {"url": piece.get_absolute_url(), "title": piece.title, "note": note}


@require_GET
@login_required
def base_file(request: HttpRequest, piece_id: UUID) -> HttpResponse | FileResponse:
    """Send the base file as it was imported, byte for byte."""
    piece = own_piece(request, piece_id)
    kind = piece.base_facts.get("media_type") or mimetypes.guess_type(piece.base_name)[0]
    return send(
        request, piece.base_file.open("rb"), as_attachment=True, filename=piece.base_name,
        content_type=kind,
    )  # fmt: skip


@require_GET
@login_required
def archive(request: HttpRequest, piece_id: UUID) -> StreamingHttpResponse:
    """Send a piece as an archive that another installation can import, made while it is sent."""
    piece = own_piece(request, piece_id)
    return stream(archive_of(piece), name_of(piece), MEDIA_TYPE)


@require_POST
@login_required
def mark(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Mark a piece keep, maybe or drop. Its present mark, sent again, is removed."""
    piece = own_piece(request, piece_id)
    asked = request.POST.get("mark", "")
    piece.mark = asked if asked in Piece.Mark.values and asked != piece.mark else ""
    piece.save(update_fields=["mark"])
    if request.headers.get("Accept") == "application/json":
        return JsonResponse({"mark": piece.mark})
    return back_to(request, "pieces")


@require_POST
@login_required
def duplicate(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    twin = services.duplicate(own_piece(request, piece_id))
    messages.success(request, "A copy with the same base and settings, and no other layers.")
    return redirect(twin)


@require_POST
@login_required
def delete_pieces(request: HttpRequest) -> HttpResponse:
    """Delete one piece, or all that are marked drop. They can be restored for 30 days."""
    own = Piece.objects.of(request.user)
    chosen = own.filter(mark=Piece.Mark.DROP)
    if "piece" in request.POST:
        chosen = own.filter(pk=own_piece(request, posted_id(request, "piece")).pk)
    deleted = list(chosen)
    services.delete_pieces(deleted)
    if deleted:
        names = f"“{deleted[0].title}” is" if len(deleted) == 1 else f"{len(deleted)} pieces are"
        messages.success(
            request, f"{names} deleted; restore within 30 days under Recently deleted."
        )
    return redirect("pieces")


@require_GET
@login_required
def recently_deleted(request: HttpRequest) -> HttpResponse:
    deleted = Piece.objects.recently_deleted(request.user).with_newest_layer()
    return render(request, "library/recently_deleted.html", {"pieces": deleted})


@require_POST
@login_required
def restore(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    piece = get_object_or_404(Piece.objects.recently_deleted(request.user), pk=piece_id)
    services.restore(piece)
    messages.success(request, f"“{piece.title}” is back.")
    return redirect("pieces" if "stay" in request.POST else piece)


@login_required
def split(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Show a contact sheet with its cuts; on POST make a piece of each candidate."""
    piece = own_piece(request, piece_id)
    error = ""
    cuts = _cuts_of(piece)
    if request.method == "POST":
        try:
            cuts = read_cuts(request.POST.get("columns", ""), request.POST.get("rows", ""))
            made = services.split(piece, cuts)
        except Refusal as refusal:
            error = str(refusal)
        else:
            messages.success(request, f"{len(made)} candidates are pieces of their own now.")
            return redirect("pieces")
    shown = {"piece": piece, "layer": piece.base, "cuts": cuts, "error": error}
    return render(request, "library/split.html", shown, status=422 if error else 200)


@require_GET
@login_required
def split_picture(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Show the base small enough to draw cuts on."""
    with canvas_of(own_piece(request, piece_id).base) as canvas:
        shown = thumbnail(canvas, SHEET_SIDE)
    return HttpResponse(shown, content_type="image/webp")


@require_POST
@login_required
def dismiss_guess(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Record that the picture is not a contact sheet, or not a copy."""
    piece = own_piece(request, piece_id)
    piece.cuts, piece.copy_of = None, None
    piece.save(update_fields=["cuts", "copy_of"])
    return redirect(piece)


def _cuts_of(piece: Piece) -> Cuts:
    """Return the cuts that were found; an even 2 × 2 when there were none."""
    if piece.cuts:
        return Cuts(*(tuple((a, b) for a, b in piece.cuts[name]) for name in ("columns", "rows")))
    spans = [((0, side // 2), (side // 2, side)) for side in piece.base.size]
    return Cuts(*spans)
