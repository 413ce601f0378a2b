"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.library.models import Layer, Piece


def own_piece(request: HttpRequest, piece_id: UUID) -> Piece:
    return get_object_or_404(Piece.objects.of(request.user), pk=piece_id)


def own_layer(request: HttpRequest, layer_id: UUID) -> Layer:
    return get_object_or_404(Layer.objects.of(request.user).select_related("piece"), pk=layer_id)


def layer_of(piece: Piece, layer_id: UUID | None) -> Layer:
    """Return a layer of a piece, its base when none is named."""
    return piece.base if layer_id is None else get_object_or_404(piece.layers, pk=layer_id)


def own_pyramid(request: HttpRequest, layer_id: UUID) -> str:
    """Return the name of the file with a layer's tiles; empty before it is made."""
    names = Layer.objects.of(request.user).values_list("pyramid", flat=True)
    return get_object_or_404(names, pk=layer_id)
