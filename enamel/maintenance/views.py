"""Health and metrics for monitoring, and the page of licences."""

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.db import DatabaseError, connection
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET
from prometheus_client import CollectorRegistry, generate_latest
from prometheus_client.exposition import CONTENT_TYPE_PLAIN_1_0_0

from enamel.maintenance.licences import FILE, parts
from enamel.maintenance.metrics import Figures


@require_GET
def healthz(request: HttpRequest) -> JsonResponse:
    """Say whether pages can be served; open to everyone."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError:
        return JsonResponse({"database": False}, status=503)
    return JsonResponse({"database": True})


@require_GET
def metrics(request: HttpRequest) -> HttpResponse:
    """Show figures in Prometheus' text format; open to everyone where they are switched on."""
    if not settings.METRICS:
        raise Http404
    registry = CollectorRegistry()
    registry.register(Figures())
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_PLAIN_1_0_0)


@require_GET
@login_required
def licences(request: HttpRequest) -> HttpResponse:
    """Show what Enamel is made of, and under which licences."""
    return render(request, "maintenance/licences.html", {"kinds": parts()})


@require_GET
@login_required
def bill_of_materials(request: HttpRequest) -> FileResponse:
    """Send the bill of materials, a CycloneDX file."""
    return FileResponse(FILE.open("rb"), as_attachment=True, filename=f"enamel-{FILE.name}")
