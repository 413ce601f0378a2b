"""The pieces of an artist, and bringing new ones in."""

import mimetypes
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.files.uploadedfile import UploadedFile
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.kiln import firings, store
from enamel.kiln.models import SUBJECTS, Piece
from enamel.studio.views.access import own_piece, person


@require_GET
@login_required
def pieces(request: HttpRequest) -> HttpResponse:
    own = Piece.objects.of(request.user).with_layers()
    return render(request, "studio/pieces.html", {"pieces": own})


@require_POST
@login_required
def bring_in(request: HttpRequest) -> HttpResponse:
    """Each file becomes a piece. Files that can't be used are refused one by one, by name."""
    made: list[Piece] = []
    refused: list[dict[str, str]] = []
    for file in request.FILES.getlist("files"):
        assert isinstance(file, UploadedFile)
        name = file.name or "picture"
        try:
            piece = store.bring_in(person(request), file, name)
        except Refusal as refusal:
            refused.append({"name": name, "reason": str(refusal)})
        else:
            firings.enqueue_preparation(piece.base)
            made.append(piece)
    if request.headers.get("Accept") == "application/json":
        answer = {"pieces": [piece.get_absolute_url() for piece in made], "refused": refused}
        return JsonResponse(answer, status=200 if made else 422)
    for entry in refused:
        messages.error(request, f"{entry['name']}: {entry['reason']}")
    if not made and not refused:
        messages.error(request, "No file was chosen. Choose one or more pictures first.")
    return redirect(made[0]) if len(made) == 1 else redirect("pieces")


@require_GET
@login_required
def base_file(request: HttpRequest, piece_id: UUID) -> FileResponse:
    """The base as it was brought in, byte for byte."""
    piece = own_piece(request, piece_id)
    kind = piece.base_facts.get("media_type") or mimetypes.guess_type(piece.base_name)[0]
    return FileResponse(
        piece.base_file.open("rb"), as_attachment=True, filename=piece.base_name, content_type=kind
    )


@require_POST
@login_required
def subject(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Say what kind of picture the piece is; an untouched schedule then starts with what suits it."""
    piece = own_piece(request, piece_id)
    chosen = request.POST.get("subject", "")
    if chosen in SUBJECTS:
        piece.subject = chosen
        piece.save(update_fields=["subject"])
    return redirect(f"{piece.get_absolute_url()}?task=base")
