"""Coats sent out to the bureau: offers, orders, how far they are, what came back."""

from collections.abc import Callable
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.kiln.bureau import asking
from enamel.kiln.models import SentCoat
from enamel.studio.forms import LimitForm
from enamel.studio.shown.bureau import bureau_shown, sent_shown
from enamel.studio.views.access import back_to, own_sent_coat, person

DEEDS: dict[str, Callable[[SentCoat], None]] = {
    "order": asking.order,
    "cancel": asking.cancel,
    "keep": asking.keep,
    "try-again": asking.try_again,
}


@require_GET
@login_required
def bureau(request: HttpRequest) -> HttpResponse:
    """All coats that were sent out, and how things stand with money."""
    return render(request, "studio/bureau/bureau.html", bureau_shown(person(request)))


@require_POST
@login_required
def limit(request: HttpRequest) -> HttpResponse:
    """Change the month's limit."""
    form = LimitForm(request.POST)
    if not form.is_valid():
        raise Refusal(f"{form.errors['limit'].as_text()} The limit stays as it was.")
    asking.set_limit(person(request).pk, form.cents())
    messages.success(request, "The month's limit is changed.")
    return back_to(request, "bureau")


@require_GET
@login_required
def sent_coat(request: HttpRequest, sent_id: UUID) -> HttpResponse:
    """An offer, or what became of it."""
    return render(
        request, "studio/bureau/sent_coat.html", sent_shown(own_sent_coat(request, sent_id))
    )


@require_GET
@login_required
def state(request: HttpRequest, sent_id: UUID) -> JsonResponse:
    """How far a coat is."""
    sent = own_sent_coat(request, sent_id)
    words = sent.news or sent.get_state_display()
    return JsonResponse(
        {"open": sent.open, "share": sent.share, "state": sent.state, "words": words}
    )


@require_GET
@login_required
def came_back(request: HttpRequest, sent_id: UUID) -> FileResponse:
    """What came back, reduced."""
    sent = own_sent_coat(request, sent_id)
    if not sent.preview:
        raise Http404
    return FileResponse(sent.preview.open("rb"), content_type="image/webp")


@require_POST
@login_required
def change(request: HttpRequest, sent_id: UUID) -> HttpResponse:
    """Take an offer, cancel an order, keep or leave what came back: what the button says."""
    sent = own_sent_coat(request, sent_id)
    wanted = request.POST.get("do", "")
    if wanted == "ask-again":
        fresh = asking.ask_for_offer(sent.start, sent.coat)
        asking.leave(sent)
        return redirect("sent-coat", fresh.pk)
    if wanted == "leave":
        asking.leave(sent)
        return redirect(sent.piece)
    if wanted not in DEEDS:
        raise Http404
    DEEDS[wanted](sent)
    return redirect("sent-coat", sent.pk)
