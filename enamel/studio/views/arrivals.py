"""Files on their way in: how far they have come, and letting go of refused ones."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from enamel.kiln.models import Arrival
from enamel.kiln.pieces import arrivals


def own_arrival(request: HttpRequest, arrival_id: UUID) -> Arrival:
    return get_object_or_404(Arrival.objects.of(request.user), pk=arrival_id)


@require_GET
@login_required
def state(request: HttpRequest, arrival_id: UUID) -> JsonResponse:
    """What has come of a file that was sent."""
    arrival = own_arrival(request, arrival_id)
    return JsonResponse(
        {
            "open": arrival.open,
            "share": arrival.share if arrival.state != Arrival.State.WAITING else None,
            "refused": arrival.error,
            "url": arrival.piece.get_absolute_url() if arrival.piece else None,
        }
    )


@require_POST
@login_required
def dismiss(request: HttpRequest, arrival_id: UUID) -> HttpResponse:
    """Let go of a refused file, or of one that still waits."""
    arrival = own_arrival(request, arrival_id)
    arrivals.delete(arrival)
    return redirect("models" if arrival.kind == Arrival.Kind.NETWORK else "pieces")
