"""Whose is it: everything of another person's is not there."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.kiln.models import Batch, Firing, Layer, Piece, PrintFile, Sheet, Swatch


def piece(request: HttpRequest, piece_id: UUID) -> Piece:
    return get_object_or_404(Piece.objects.of(request.user), pk=piece_id)


def layer(request: HttpRequest, layer_id: UUID) -> Layer:
    return get_object_or_404(Layer.objects.of(request.user).select_related("piece"), pk=layer_id)


def layer_of(piece: Piece, layer_id: UUID | None) -> Layer:
    """A layer of a piece, its base when none is named."""
    return piece.base if layer_id is None else get_object_or_404(piece.layers, pk=layer_id)


def firing(request: HttpRequest, firing_id: UUID) -> Firing:
    return get_object_or_404(
        Firing.objects.of(request.user).select_related("piece", "start"), pk=firing_id
    )


def sheet(request: HttpRequest, sheet_id: UUID) -> Sheet:
    return get_object_or_404(
        Sheet.objects.of(request.user).select_related("piece", "start"), pk=sheet_id
    )


def swatch(request: HttpRequest, number: int) -> Swatch:
    own = Sheet.objects.of(request.user)
    return get_object_or_404(
        Swatch.objects.select_related("sheet__piece"), pk=number, sheet__in=own
    )


def print_file(request: HttpRequest, file_id: UUID) -> PrintFile:
    return get_object_or_404(
        PrintFile.objects.of(request.user).select_related("layer__piece"), pk=file_id
    )


def batch(request: HttpRequest, batch_id: UUID) -> Batch:
    return get_object_or_404(Batch.objects.of(request.user), pk=batch_id)
