"""The kiln's page: everything that is fired, in which order, by whom."""

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
    """Show the page; with ``part`` only what changes."""
    template = "kiln_part" if "part" in request.GET else "kiln"
    return render(request, f"kiln/{template}.html", present_kiln(person(request)))


@require_POST
@login_required
def move(request: HttpRequest, firing_id: UUID) -> HttpResponse:
    """Let a firing that waits go some places before or after others."""
    queue.move(own_firing(request, firing_id), signed_number(request.POST.get("steps")) or 0)
    return redirect("kiln")
