"""Orders at the print shop: placed, shown, deleted."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.orders.access import own_order
from enamel.orders.forms import ShopForm
from enamel.orders.presenters import present_order
from enamel.orders.shop import services as shop
from enamel.prints.access import own_print


@require_POST
@login_required
def send(request: HttpRequest, print_id: UUID) -> HttpResponse:
    """Send a print file to the shop."""
    made = own_print(request, print_id)
    form = ShopForm(request.POST)
    if not form.is_valid():
        raise Refusal("Choose a paper of the shop's, and from 1 to 500 copies.")
    order = shop.order(made, form.cleaned_data["paper"], form.cleaned_data["copies"])
    return redirect("shop-order", order.pk)


@require_GET
@login_required
def order(request: HttpRequest, order_id: UUID) -> HttpResponse:
    """Show an order with the shop's answer."""
    return render(request, "orders/order.html", present_order(own_order(request, order_id)))


@require_GET
@login_required
def state(request: HttpRequest, order_id: UUID) -> JsonResponse:
    """Return the state of an order."""
    found = own_order(request, order_id)
    return JsonResponse(
        {"open": found.open, "progress": found.progress, "state": found.state,
         "words": found.news or found.state_label}
    )  # fmt: skip


@require_GET
@login_required
def proof(request: HttpRequest, order_id: UUID) -> FileResponse:
    """Send the shop's proof picture."""
    found = own_order(request, order_id)
    if not found.proof:
        raise Http404
    return FileResponse(found.proof.open("rb"), content_type="image/png")


@require_POST
@login_required
def delete(request: HttpRequest, order_id: UUID) -> HttpResponse:
    """Delete an order here."""
    shop.delete(own_order(request, order_id))
    return redirect("print-files")
