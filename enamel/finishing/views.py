"""Finishes: previewed while they are set, saved as presets, fired."""

from uuid import UUID

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.core.export.naming import safe
from enamel.core.fields import to_json
from enamel.core.imaging.encoded import rgba_of
from enamel.finishing import services as finishing
from enamel.finishing.forms import FinishForm, FinishPresetForm, FinishStepForm, FinishWindowForm
from enamel.finishing.models import FinishPreset
from enamel.firings import services as firings
from enamel.library.access import own_layer
from enamel.library.models import Layer
from enamel.web.downloads import json_file
from enamel.workspace.views import show_again


@require_POST
@login_required
def preview(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Send a part of a layer with the current recipe, as plain samples: packing would take longer than
    the finish.
    """
    layer = own_layer(request, layer_id)
    form = _valid(FinishWindowForm(request.POST))
    given = form.cleaned_data
    samples = finishing.shown(layer, given["recipe"], given["window"], given["pixels"])
    answer = HttpResponse(rgba_of(samples), content_type="application/octet-stream")
    answer["Enamel-Width"] = samples.shape[1]
    return answer


@require_POST
@login_required
def automatic(request: HttpRequest, layer_id: UUID) -> JsonResponse:
    """Return what a step of the current recipe proposes, and why."""
    layer = own_layer(request, layer_id)
    given = _valid(FinishStepForm(request.POST)).cleaned_data
    proposal = finishing.proposal(layer, given["recipe"], given["step"])
    return JsonResponse({"step": to_json(proposal.step), "reason": proposal.reason})


@require_POST
@login_required
def finish(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Fire the current recipe, replacing the finish that is being changed, if any."""
    layer = own_layer(request, layer_id)
    form = FinishForm(request.POST)
    if not form.is_valid():
        return show_again(request, layer.piece, "finish", form, layer)
    wanted = request.POST.get("change", "")
    changed = next(
        (one for one in layer.children.filter(kind=Layer.Kind.FINISH) if str(one.pk) == wanted),
        None,
    )
    try:
        firings.enqueue_finish(layer, form.cleaned_data["recipe"], changed)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return show_again(request, layer.piece, "finish", form, layer)
    return redirect(layer.piece)


@require_POST
@login_required
def keep(request: HttpRequest) -> JsonResponse:
    """Save the current recipe under a name, replacing one of that name."""
    given = _valid(FinishPresetForm(request.POST)).cleaned_data
    kept, _ = FinishPreset.objects.update_or_create(
        owner_id=person(request).pk,
        name=given["name"].strip(),
        defaults={"recipe": given["recipe"].to_json()},
    )
    return JsonResponse(
        {
            "name": kept.name,
            "recipe": kept.recipe,
            "file": reverse("export-finish", args=[kept.pk]),
            "delete": reverse("delete-finish", args=[kept.pk]),
        }
    )


@require_POST
@login_required
def delete(request: HttpRequest, number: int) -> JsonResponse:
    """Delete a finish preset; layers made with it stay."""
    kept = _own(request, number)
    kept.delete()
    return JsonResponse({"words": f"“{kept.name}” is deleted. Layers made by it stay."})


@require_GET
@login_required
def export(request: HttpRequest, number: int) -> HttpResponse:
    """Send a finish preset as a file, which `enamel finish --recipe` also reads."""
    kept = _own(request, number)
    return json_file(f"{safe(kept.name, 'finish')}.finish.json", kept.recipe)


def _own(request: HttpRequest, number: int) -> FinishPreset:
    return get_object_or_404(FinishPreset, owner_id=person(request).pk, pk=number)


def _valid(form: FinishForm) -> FinishForm:
    if not form.is_valid():
        raise Refusal(form.refused())
    return form
