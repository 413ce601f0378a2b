"""Preview inlays on the picture, and make a layer of them."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from enamel.core.errors import Refusal
from enamel.firings import services as firings
from enamel.library.access import own_layer
from enamel.touchups import inlays
from enamel.touchups.forms.inlay import InlayForm, WindowForm
from enamel.workspace.views import show_again


@require_POST
@login_required
def preview(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Send a part of a layer with the current inlays."""
    layer = own_layer(request, layer_id)
    form = WindowForm(request.POST, under=layer)
    if not form.is_valid():
        raise Refusal(" ".join(str(error) for errors in form.errors.values() for error in errors))
    seen = inlays.shown(layer, form.cleaned_data["inlays"], form.cleaned_data["window"])
    return HttpResponse(seen, content_type="image/png")


@require_POST
@login_required
def take_file(request: HttpRequest, layer_id: UUID) -> JsonResponse:
    """Store a file with the piece for laying it over the layer, and return how it fits."""
    layer = own_layer(request, layer_id)
    upload = request.FILES.get("file")
    if upload is None:
        raise Refusal("Choose a picture first.")
    source, found = inlays.take_file(layer, upload, upload.name or "file")
    if found is None:
        words = (
            "Too little agrees to align it; it is laid edge to edge. Blink it before you keep it."
        )
    else:
        words = (
            f"Aligned by {found.matches} places; they lie {found.residual:.1f} px of this layer beside "
            "where they should (median). Blink it before you keep it."
        )
    return JsonResponse(
        {
            "source": source.sha256,
            "name": source.words,
            "homography": source.homography,
            "words": words,
        }
    )


@require_POST
@login_required
def lay(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Fire the current inlays."""
    layer = own_layer(request, layer_id)
    form = InlayForm(request.POST, under=layer)
    if not form.is_valid():
        return show_again(request, layer.piece, "inlay", form, layer)
    try:
        firings.enqueue_inlays(layer, form.cleaned_data["inlays"])
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return show_again(request, layer.piece, "inlay", form, layer)
    return redirect(layer.piece)
