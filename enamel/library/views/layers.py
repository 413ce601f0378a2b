"""Images of layers: pyramid tiles and thumbnails."""

from hashlib import sha256
from uuid import UUID

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.core.cache import caches
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET
from django.views.decorators.vary import vary_on_cookie

from enamel.library.access import own_layer, own_pyramid
from enamel.library.pyramids import archives

A_MONTH = 30 * 24 * 3600
"""Layers never change, so browsers may cache their tiles."""


@require_GET
@vary_on_cookie
@cache_control(private=True, max_age=A_MONTH, immutable=True)
def tile(request: HttpRequest, layer_id: UUID, level: int, column: int, row: int) -> HttpResponse:
    """Return a pyramid's tile. A screen requests dozens at once, so the owner is looked up for the first
    only.
    """
    session = request.COOKIES.get(settings.SESSION_COOKIE_NAME, "")
    asked = sha256(f"{session} {layer_id}".encode()).hexdigest()
    pyramid = caches["just-asked"].get(asked)
    if pyramid is None:
        return _first_tile(request, layer_id, asked, level, column, row)
    return _tile_of(pyramid, level, column, row)


@login_required
def _first_tile(
    request: HttpRequest, layer_id: UUID, asked: str, level: int, column: int, row: int
) -> HttpResponse:
    pyramid = own_pyramid(request, layer_id)
    if pyramid:
        caches["just-asked"].set(asked, pyramid)
    return _tile_of(pyramid, level, column, row)


def _tile_of(pyramid: str, level: int, column: int, row: int) -> HttpResponse:
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
    """Return whether a layer can be looked at yet; with ``for=finish``, whether it can be finished."""
    layer = own_layer(request, layer_id)
    finishing = request.GET.get("for") == "finish"
    return JsonResponse({"ready": layer.surveyed if finishing else layer.ready})
