"""Find what belongs to the current account: whatever is another artist's is not found."""

from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from enamel.firings.models import Firing


def own_firing(request: HttpRequest, firing_id: UUID) -> Firing:
    known = Firing.objects.of(request.user).select_related("piece", "start")
    return get_object_or_404(known, pk=firing_id)
