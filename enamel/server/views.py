"""The page of the API reference."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from enamel.server.described import described


@require_GET
@login_required
def description(request: HttpRequest) -> HttpResponse:
    """Show the API reference."""
    return render(request, "web/description.html", described())
