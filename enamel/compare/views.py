"""The comparing bench: several pictures of a piece side by side, and the results of their checks."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from enamel.batches.models import Batch
from enamel.batches.presenters import present_pair
from enamel.compare.presenters import Comparison
from enamel.firings.checking import submit_check
from enamel.firings.models import LayerCheck
from enamel.library.access import own_layer, own_piece
from enamel.library.models import Layer
from enamel.web.parameters import ids


@require_GET
@login_required
def compare(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Show two to six pictures of a piece together."""
    piece = own_piece(request, piece_id)
    shown = Comparison(piece, request.GET).context()
    for batch in Batch.objects.of(request.user).filter(pk__in=ids([request.GET.get("batch", "")])):
        shown["pair"] = present_pair(batch, piece)
    return render(request, "compare/compare.html", shown)


@require_POST
@login_required
def check(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Have a layer checked, and go back to the page that asked for it."""
    layer = own_layer(request, layer_id)
    if layer.kind != Layer.Kind.BASE:
        submit_check(layer)
    back = request.POST.get("back", "")
    if not url_has_allowed_host_and_scheme(back, allowed_hosts=None):
        back = layer.piece.get_absolute_url()
    return redirect(back)


@require_GET
@login_required
def checked(request: HttpRequest, layer_id: UUID) -> JsonResponse:
    """Show whether a layer's check has ended."""
    layer = own_layer(request, layer_id)
    return JsonResponse({"ready": not LayerCheck.objects.open().filter(layer=layer).exists()})
