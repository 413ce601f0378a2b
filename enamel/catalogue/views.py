"""The page of models: what each makes on this machine, which are offered, and adding one's own."""

from pathlib import Path

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.db.models import Prefetch, prefetch_related_objects
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import is_administrator, person
from enamel.catalogue import services
from enamel.catalogue.forms import ModelForm, SuitedForm
from enamel.catalogue.models import Model, TrialCrop
from enamel.catalogue.trials import submit_trials
from enamel.core.checkpoints import devices
from enamel.core.checkpoints import intake as checkpoints
from enamel.core.errors import Refusal
from enamel.core.networks import intake
from enamel.uploads.models import Upload


@require_GET
@login_required
def models(request: HttpRequest) -> HttpResponse:
    return _page(request, ModelForm())


def _page(request: HttpRequest, form: ModelForm, status: int = 200) -> HttpResponse:
    submit_trials()
    found = Model.objects.available()
    trials = [model.trial for model in found if model.trial]
    prefetch_related_objects(trials, Prefetch("crops", TrialCrop.objects.defer("image")))
    for model in found:
        model.changeable = services.may_change(model, person(request))
    return render(
        request,
        "catalogue/models.html",
        {
            "models": found,
            "waiting": list(_waiting()),
            "checkpoints": checkpoints.checkpoints_folder(),
            "installed": devices.installed(),
            "processors_only": devices.for_processors_only(),
            "form": form,
            "suited": SuitedForm(),
            "administrator": is_administrator(person(request)),
            "uploads": Upload.objects.of(request.user).in_sight().filter(kind=Upload.Kind.MODEL),
        },
        status=status,
    )


def _waiting() -> dict[str, Path]:
    """Return the files in the workshop's folders that can be added, by name."""
    return {path.name: path for path in (*intake.waiting(), *checkpoints.waiting())}


@require_POST
@login_required
def add_model(request: HttpRequest) -> HttpResponse:
    """Add a model from an upload or from the folder, or say why it can't be used, keeping what was typed."""
    form = ModelForm(request.POST, request.FILES)
    if not form.is_valid():
        return _page(request, form, 422)
    upload = form.cleaned_data["file"]
    waiting = _waiting().get(request.POST.get("waiting", ""))
    if upload is None and waiting is None:
        form.add_error("file", "Choose an ONNX file, or something from a folder, first.")
        return _page(request, form, 422)
    words = {key: form.cleaned_data[key] for key in ("name", "summary", "licence")}
    try:
        services.receive_model(person(request), waiting or upload, **words)
    except Refusal as refusal:
        form.add_error("file", f"It was not added. {refusal}")
        return _page(request, form, 422)
    return redirect("models")


@require_POST
@login_required
def switch(request: HttpRequest, name: str) -> HttpResponse:
    """Switch a model on or off. The last refiner stays on."""
    model = get_object_or_404(Model, name=name)
    try:
        services.switch(model, person(request), on=not model.on)
    except Refusal as refusal:
        messages.error(request, str(refusal))
    return redirect("models")


@require_POST
@login_required
def remove(request: HttpRequest, name: str) -> HttpResponse:
    """Delete a model that was added. Layers made with it stay."""
    try:
        services.remove(get_object_or_404(Model, name=name), person(request))
    except Refusal as refusal:
        messages.error(request, str(refusal))
    else:
        messages.success(request, f"{name} is deleted. Layers made with it stay as they are.")
    return redirect("models")


@require_POST
@login_required
def suited(request: HttpRequest) -> HttpResponse:
    """Save which models new pieces of each kind start with."""
    form = SuitedForm(request.POST)
    if not is_administrator(person(request)):
        messages.error(request, services.ADMINISTRATORS_ONLY)
    elif form.is_valid():
        form.keep()
        messages.success(request, "New pieces start with these upscalers.")
    else:
        messages.error(request, "One of these upscalers is no longer there; nothing was changed.")
    return redirect("models")


@require_GET
@login_required
@cache_control(private=True, max_age=3600)
def crop(request: HttpRequest, name: str, place: int) -> HttpResponse:
    crops = TrialCrop.objects.filter(trial__model__name=name, place=place)
    found = crops.order_by("-trial__created").first()
    if found is None:
        raise Http404
    return HttpResponse(bytes(found.image), content_type="image/webp")
