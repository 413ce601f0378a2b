"""Whose is it: everything of another person's is not found, as if it were not there."""

from typing import Any, cast
from uuid import UUID

from django.contrib.auth.base_user import AbstractBaseUser
from django.http import Http404, HttpRequest, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect
from django.utils.http import url_has_allowed_host_and_scheme

from enamel.core.print.sizing import Unit
from enamel.kiln.models import (
    Batch,
    BatchItem,
    Firing,
    Layer,
    Piece,
    PrintFile,
    SentCoat,
    ShopOrder,
)
from enamel.studio.context import preferences_of


def person(request: HttpRequest) -> AbstractBaseUser:
    """Who asks. For views behind `login_required`."""
    return cast(AbstractBaseUser, request.user)


def posted_id(request: HttpRequest, name: str) -> UUID:
    """An id that a form sent; what is none is not found."""
    try:
        return UUID(request.POST.get(name, ""))
    except ValueError:
        raise Http404 from None


def unit_of(request: HttpRequest) -> Unit:
    """What the artist gives and sees lengths in."""
    return preferences_of(request).length_unit


def own_piece(request: HttpRequest, piece_id: UUID) -> Piece:
    return get_object_or_404(Piece.objects.of(request.user), pk=piece_id)


def own_layer(request: HttpRequest, layer_id: UUID) -> Layer:
    return get_object_or_404(Layer.objects.of(request.user).select_related("piece"), pk=layer_id)


def own_pyramid(request: HttpRequest, layer_id: UUID) -> str:
    """Name of the file with a layer's tiles, all that a tile needs of it; empty before it is made."""
    own = Layer.objects.of(request.user)
    return get_object_or_404(own.values_list("pyramid", flat=True), pk=layer_id)


def own_firing(request: HttpRequest, firing_id: UUID) -> Firing:
    return get_object_or_404(
        Firing.objects.of(request.user).select_related("piece", "start"), pk=firing_id
    )


def own_print(request: HttpRequest, print_id: UUID) -> PrintFile:
    known = PrintFile.objects.of(request.user).select_related("layer__piece")
    return get_object_or_404(known, pk=print_id)


def own_batch(request: HttpRequest, batch_id: UUID) -> Batch:
    return get_object_or_404(Batch.objects.of(request.user), pk=batch_id)


def own_batch_item(request: HttpRequest, number: int) -> BatchItem:
    own = BatchItem.objects.with_all().filter(batch__owner_id=person(request).pk)
    return get_object_or_404(own, pk=number)


def own_sent_coat(request: HttpRequest, sent_id: UUID) -> SentCoat:
    known = SentCoat.objects.of(request.user).select_related("piece", "start")
    return get_object_or_404(known, pk=sent_id)


def back_to(request: HttpRequest, otherwise: Any) -> HttpResponseRedirect:
    """To the page that a form names as ``next``, if it is one of Enamel's; else to another."""
    back = request.POST.get("next", "")
    own = url_has_allowed_host_and_scheme(back, {request.get_host()}, request.is_secure())
    return redirect(back if own else otherwise)


def own_order(request: HttpRequest, order_id: UUID) -> ShopOrder:
    known = ShopOrder.objects.of(request.user).select_related("print_file__layer__piece")
    return get_object_or_404(known, pk=order_id)
