"""The workspace's page, and facts of a piece."""

from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.forms import Form
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.context import unit_of
from enamel.library.access import own_piece
from enamel.library.forms import BaseForm
from enamel.library.models import Layer, Piece
from enamel.workspace.shell import Workspace


@require_GET
@login_required
def piece(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Show the workspace of a piece."""
    workspace = Workspace(own_piece(request, piece_id), request.GET, unit_of(request))
    return render(request, "workspace/piece.html", workspace.context())


def show_again(
    request: HttpRequest, piece: Piece, task: str, form: Form, layer: Layer | None = None
) -> HttpResponse:
    """Return the workspace with an invalid form."""
    picked = QueryDict(mutable=True)
    picked.update({"task": task, "coat": request.POST.get("coat", "")})
    picked["layer"] = str(layer.pk) if layer else request.POST.get("layer", "")
    workspace = Workspace(piece, picked, unit_of(request), form)
    return render(request, "workspace/piece.html", workspace.context(), status=422)


@require_POST
@login_required
def facts(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save a piece's facts and notes."""
    piece = own_piece(request, piece_id)
    return _keep_facts(request, piece) or redirect(f"{piece.get_absolute_url()}?task=base")


@require_POST
@login_required
def begin_again(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save a piece's facts, and replace its schedule by the one that follows from them."""
    piece = own_piece(request, piece_id)
    refused = _keep_facts(request, piece)
    if refused:
        return refused
    piece.keep_schedule(piece.starting_schedule)
    return redirect(f"{piece.get_absolute_url()}?task=coat")


def _keep_facts(request: HttpRequest, piece: Piece) -> HttpResponse | None:
    """Save the facts, or return the workspace with the form's errors."""
    form = BaseForm(request.POST)
    if not form.is_valid():
        return show_again(request, piece, "base", form)
    form.keep(piece)
    messages.success(request, "Kept.")
    return None
