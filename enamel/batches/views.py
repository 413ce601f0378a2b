"""Batches: chosen, started, watched, reordered, compared in pairs."""

import csv
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.batches import folders
from enamel.batches import services as batches
from enamel.batches.access import own_batch, own_batch_item
from enamel.batches.forms import BatchForm
from enamel.batches.models import Batch
from enamel.batches.presenters import present_batch, rows
from enamel.core.errors import Refusal
from enamel.core.export.naming import safe
from enamel.library.models import Piece
from enamel.library.presenters import PieceSearch
from enamel.web.downloads import kept_as
from enamel.web.parameters import ids, signed_number


@require_GET
@login_required
def choose(request: HttpRequest) -> HttpResponse:
    """Show the pictures to choose from, searched as on the page of pieces, and the form of the treatment."""
    form = BatchForm(owner_id=person(request).pk, initial=BatchForm.starting())
    return _choosing(request, form)


def _choosing(
    request: HttpRequest, form: BatchForm, chosen: set[UUID] | None = None, status: int = 200
) -> HttpResponse:
    finding = PieceSearch(Piece.objects.of(request.user), request.GET)
    pieces = list(finding.found.with_newest_layer()[: batches.MOST])
    shown = {
        **finding.shown,
        "form": form,
        "pieces": [(piece, chosen is None or piece.pk in chosen) for piece in pieces],
        "folders": folders.choices(),
        "earlier": Batch.objects.of(request.user)[:12],
        "from_folder": form.data.get("from") == "folder",
    }
    return render(request, "batches/choose.html", shown, status=status)


@require_POST
@login_required
def start(request: HttpRequest) -> HttpResponse:
    form = BatchForm(request.POST, owner_id=person(request).pk)
    wanted = ids(request.POST.getlist("piece"))
    if not form.is_valid():
        return _choosing(request, form, set(wanted), 422)
    given = form.cleaned_data
    from_folder = request.POST.get("from") == "folder"
    known = Piece.objects.of(request.user).with_base().in_bulk(wanted)
    try:
        batch = batches.start(
            person(request),
            given["name"],
            form.treatment,
            [known[pk] for pk in wanted if pk in known],
            folder=given["folder"] if from_folder else None,
            watched=given["watched"],
            urgency=given["urgency"],
        )
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return _choosing(request, form, set(wanted), 422)
    return redirect("batch", batch.pk)


@require_POST
@login_required
def cost(request: HttpRequest) -> HttpResponse:
    """Return the cost of the current batch."""
    form = BatchForm(request.POST, owner_id=person(request).pk)
    form.fields["name"].required = False
    shown: dict[str, object] = {"errors": form.errors}
    if form.is_valid() and request.POST.get("from") != "folder":
        own = Piece.objects.of(request.user).with_base()
        known = own.in_bulk(ids(request.POST.getlist("piece")))
        shown["cost"] = batches.cost(known.values(), form.treatment)
    return render(request, "batches/cost.html", shown)


@require_GET
@login_required
def batch(request: HttpRequest, batch_id: UUID) -> HttpResponse:
    """Show a batch, sources beside results; with ``part`` only the part that changes."""
    template = "batch_part" if "part" in request.GET else "batch"
    shown = present_batch(own_batch(request, batch_id), request.GET.get("only", ""))
    return render(request, f"batches/{template}.html", shown)


@require_GET
@login_required
def table(request: HttpRequest, batch_id: UUID) -> HttpResponse:
    """Send the table of results as CSV."""
    found = own_batch(request, batch_id)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    csv.writer(response).writerows(rows(found))
    return kept_as(f"{safe(found.name, 'batch')}.csv", response)


@require_POST
@login_required
def change(request: HttpRequest, batch_id: UUID) -> HttpResponse:
    """Pause, resume or end a batch, or change its priority."""
    found = own_batch(request, batch_id)
    what = request.POST.get("do", "")
    if what == "pause":
        batches.pause(found)
    elif what == "resume":
        batches.resume(found)
    elif what == "end":
        batches.end(found)
        messages.success(request, "Ended. What was fired stays; what waited is skipped.")
    elif (urgency := signed_number(request.POST.get("urgency"))) in Batch.Urgency.values:
        batches.set_urgency(found, urgency or 0)
    return redirect("batch", found.pk)


@require_POST
@login_required
def change_item(request: HttpRequest, number: int) -> HttpResponse:
    """Skip a picture, retry it, or move it among those that wait."""
    item = own_batch_item(request, number)
    what = request.POST.get("do", "")
    if what == "skip":
        batches.skip(item)
    elif what == "again":
        batches.again(item)
    else:
        batches.move(item, signed_number(request.POST.get("steps")) or 0)
    return redirect("batch", item.batch_id)
