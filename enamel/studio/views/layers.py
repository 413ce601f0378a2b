"""Layers as files: pyramid tiles to look at, print files to take away."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET

from enamel.core.print.file import FileFormat
from enamel.kiln import store
from enamel.kiln.passing import passing
from enamel.kiln.pyramids import archives
from enamel.studio.forms import PrintFileForm
from enamel.studio.sending import send
from enamel.studio.views.access import own_layer, own_pyramid

A_MONTH = 30 * 24 * 3600
"""Layers never change, so a browser may keep what it has seen of them."""


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def tile(request: HttpRequest, layer_id: UUID, level: int, column: int, row: int) -> HttpResponse:
    pyramid = own_pyramid(request, layer_id)
    png = archives.tile(pyramid, level, column, row) if pyramid else None
    if png is None:
        raise Http404
    return HttpResponse(png, content_type="image/png")


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def thumbnail(request: HttpRequest, layer_id: UUID) -> FileResponse:
    layer = own_layer(request, layer_id)
    if not layer.thumbnail:
        raise Http404
    return FileResponse(layer.thumbnail.open("rb"), content_type="image/webp")


@require_GET
@login_required
def state(request: HttpRequest, layer_id: UUID) -> JsonResponse:
    """Whether a layer can be looked at yet."""
    return JsonResponse({"ready": own_layer(request, layer_id).ready})


@require_GET
@login_required
def print_file(request: HttpRequest, layer_id: UUID) -> HttpResponse | FileResponse:
    """The layer as a file that opens elsewhere at the right physical size."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.GET)
    if not form.is_valid():
        return render(request, "studio/workspace/file_refused.html", {"form": form, "layer": layer},
                      status=422)  # fmt: skip
    chosen = FileFormat(form.cleaned_data["format"])
    laid, ppi = form.laid(layer)
    with passing("print") as folder:  # the open file keeps its bytes until it is sent
        path = store.print_file(
            layer, chosen, form.cleaned_data["bits"], folder, ppi=ppi, laid=laid
        )
        return send(
            request,
            path.open("rb"),
            as_attachment=True,
            filename=path.name,
            content_type=f"image/{chosen}",
        )
