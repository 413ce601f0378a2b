"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.orders.models import SentCoat, ShopOrder


def own_sent_coat(request: HttpRequest, sent_id: UUID) -> SentCoat:
    known = SentCoat.objects.of(request.user).select_related("piece", "start")
    return get_object_or_404(known, pk=sent_id)


def own_order(request: HttpRequest, order_id: UUID) -> ShopOrder:
    known = ShopOrder.objects.of(request.user).select_related("print_file__layer__piece")
    return get_object_or_404(known, pk=order_id)
