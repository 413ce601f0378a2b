"""Health and metrics for monitoring; the pages of disk use and of licences."""

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.db import DatabaseError, connection
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST
from prometheus_client import CollectorRegistry, generate_latest
from prometheus_client.exposition import CONTENT_TYPE_PLAIN_1_0_0

from enamel.accounts.audit import record
from enamel.accounts.models import AuditEntry, Preferences
from enamel.accounts.people import administrators_only, person
from enamel.maintenance.disk import QuotaForm, present_disk
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
def disk(request: HttpRequest) -> HttpResponse:
    """Show what the artist's files take, and to administrators what those of all accounts take."""
    return render(request, "maintenance/disk.html", present_disk(person(request)))


@require_POST
@administrators_only
def set_quota(request: HttpRequest, number: int) -> HttpResponse:
    """Set or remove an account's quota; for administrators."""
    account = get_object_or_404(User, pk=number)
    form = QuotaForm(request.POST)
    if not form.is_valid():
        messages.error(request, f"{form.errors['quota'][0]} The quota stays as it was.")
        return redirect("disk")
    quota = form.cleaned_data["quota"]
    Preferences.objects.update_or_create(artist=account, defaults={"quota_gb": quota})
    shown = f"{quota} GB" if quota else "unlimited"
    record(person(request), AuditEntry.Action.QUOTA_SET, f"{account.get_username()}: {shown}")
    messages.success(request, f"The quota of {account.get_username()} is {shown}.")
    return redirect("disk")


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
