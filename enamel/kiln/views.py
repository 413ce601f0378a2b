"""The kiln's page, and changing the order of waiting firings."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.firings import queue
from enamel.firings.access import own_firing
from enamel.kiln.presenters import present_kiln
from enamel.web.parameters import signed_number


@require_GET
@login_required
def kiln(request: HttpRequest) -> HttpResponse:
    """Show the page; with ``part`` only the part that changes."""
    template = "kiln_part" if "part" in request.GET else "kiln"
    return render(request, f"kiln/{template}.html", present_kiln(person(request)))


@require_POST
@login_required
def move(request: HttpRequest, firing_id: UUID) -> HttpResponse:
    """Move a waiting firing by some places in the queue."""
    queue.move(own_firing(request, firing_id), signed_number(request.POST.get("steps")) or 0)
    return redirect("kiln")
