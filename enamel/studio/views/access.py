"""Whose is it: everything of another person's is not found, as if it were not there."""

from typing import Any, cast
from uuid import UUID

from django.contrib.auth.base_user import AbstractBaseUser
from django.http import Http404, HttpRequest, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect
from django.utils.http import url_has_allowed_host_and_scheme

from enamel.api import own
from enamel.core.printing.sizing import Unit
from enamel.kiln.models import (
    BatchItem,
    Layer,
    SentCoat,
    ShopOrder,
)
from enamel.studio.context import preferences_of

own_piece, own_layer, own_firing = own.piece, own.layer, own.firing
own_print, own_batch = own.print_file, own.batch


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


def own_pyramid(request: HttpRequest, layer_id: UUID) -> str:
    """Name of the file with a layer's tiles, all that a tile needs of it; empty before it is made."""
    names = Layer.objects.of(request.user).values_list("pyramid", flat=True)
    return get_object_or_404(names, pk=layer_id)


def own_batch_item(request: HttpRequest, number: int) -> BatchItem:
    known = BatchItem.objects.with_all().filter(batch__owner_id=person(request).pk)
    return get_object_or_404(known, pk=number)


def own_sent_coat(request: HttpRequest, sent_id: UUID) -> SentCoat:
    known = SentCoat.objects.of(request.user).select_related("piece", "start")
    return get_object_or_404(known, pk=sent_id)


def back_to(request: HttpRequest, otherwise: Any) -> HttpResponseRedirect:
    """To the page that a form names as ``next``, if it is one of Enamel's; else to another."""
    back = request.POST.get("next", "")
    here = url_has_allowed_host_and_scheme(back, {request.get_host()}, request.is_secure())
    return redirect(back if here else otherwise)


def own_order(request: HttpRequest, order_id: UUID) -> ShopOrder:
    known = ShopOrder.objects.of(request.user).select_related("print_file__layer__piece")
    return get_object_or_404(known, pk=order_id)
