"""Coats sent to the bureau: offers, orders, their progress and results."""

from collections.abc import Callable
from dataclasses import replace
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.firings.draft import Draft
from enamel.firings.forms.coat import CoatForm
from enamel.firings.views.schedule import act_on_coat
from enamel.library.access import own_layer, own_piece
from enamel.orders.access import own_sent_coat
from enamel.orders.bureau import services
from enamel.orders.forms import LimitForm
from enamel.orders.models import SentCoat
from enamel.orders.presenters import present_bureau, present_sent_coat
from enamel.web.parameters import back_to, posted_id

DEEDS: dict[str, Callable[[SentCoat], None]] = {
    "order": services.order,
    "cancel": services.cancel,
    "keep": services.keep,
    "try-again": services.try_again,
}


@require_GET
@login_required
def bureau(request: HttpRequest) -> HttpResponse:
    """Show all coats that were sent, the balance and the spending limit."""
    return render(request, "orders/bureau.html", present_bureau(person(request)))


@require_POST
@login_required
def limit(request: HttpRequest) -> HttpResponse:
    """Change the monthly limit."""
    form = LimitForm(request.POST)
    if not form.is_valid():
        raise Refusal(f"{form.errors['limit'].as_text()} The limit stays as it was.")
    services.set_limit(person(request).pk, form.cents())
    messages.success(request, "The month's limit is changed.")
    return back_to(request, "bureau")


@require_GET
@login_required
def sent_coat(request: HttpRequest, sent_id: UUID) -> HttpResponse:
    """Show an offer, or the order made of it."""
    return render(
        request, "orders/sent_coat.html", present_sent_coat(own_sent_coat(request, sent_id))
    )


@require_GET
@login_required
def state(request: HttpRequest, sent_id: UUID) -> JsonResponse:
    """Return the state of a coat."""
    sent = own_sent_coat(request, sent_id)
    words = sent.news or sent.state_label
    return JsonResponse(
        {"open": sent.open, "progress": sent.progress, "state": sent.state, "words": words}
    )


@require_GET
@login_required
def result_picture(request: HttpRequest, sent_id: UUID) -> FileResponse:
    """Send the result's picture, reduced."""
    sent = own_sent_coat(request, sent_id)
    if not sent.preview:
        raise Http404
    return FileResponse(sent.preview.open("rb"), content_type="image/webp")


@require_POST
@login_required
def send_out(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Request an offer for the current coat on the layer shown. No pixels are sent."""
    piece = own_piece(request, piece_id)

    def act(draft: Draft, form: CoatForm) -> HttpResponse:
        piece.keep_schedule(draft.schedule)
        layer = own_layer(request, posted_id(request, "layer"))
        sent = services.ask_for_offer(layer, replace(draft.coat, on=True))
        return redirect("sent-coat", sent.pk)

    return act_on_coat(request, piece, act)


@require_POST
@login_required
def change(request: HttpRequest, sent_id: UUID) -> HttpResponse:
    """Accept an offer, cancel an order, keep or dismiss a result: what the button says."""
    sent = own_sent_coat(request, sent_id)
    wanted = request.POST.get("do", "")
    if wanted == "ask-again":
        fresh = services.ask_for_offer(sent.start, sent.coat)
        services.leave(sent)
        return redirect("sent-coat", fresh.pk)
    if wanted == "leave":
        services.leave(sent)
        return redirect(sent.piece)
    if wanted not in DEEDS:
        raise Http404
    DEEDS[wanted](sent)
    return redirect("sent-coat", sent.pk)
