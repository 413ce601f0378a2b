"""Print files of a piece: submitted, shown, downloaded, deleted; presets and proofs."""

from pathlib import Path
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.context import unit_of
from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.core.export.naming import safe
from enamel.core.export.output import FileFormat, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.printing import profiles
from enamel.core.schedule import Schedule
from enamel.library.access import own_layer, own_piece
from enamel.library.models import Layer, Piece
from enamel.library.views.layers import A_MONTH
from enamel.prints import proofing
from enamel.prints import services as prints
from enamel.prints.access import own_print
from enamel.prints.forms import PrintFileForm, PrintForm, ProofForm, StripForm
from enamel.prints.models import OutputPreset, PrintFile
from enamel.prints.presenters.prints import WHOLE, file_cost, planned, present_print, strip_choices
from enamel.swatches.access import own_sheet
from enamel.swatches.models import Swatch
from enamel.web.downloads import send
from enamel.web.parameters import posted_id, whole_numbers
from enamel.web.templatetags.enamel import duration
from enamel.workspace.views import show_again


@require_POST
@login_required
def order(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Submit a print file of a layer."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.POST)
    if not form.is_valid():
        return render(request, "prints/file_refused.html", {"form": form, "layer": layer},
                      status=422)  # fmt: skip
    made = prints.order(layer, form.asked(layer.piece), form.cleaned_data["pattern"])
    kept = OutputPreset.objects.filter(owner_id=person(request).pk)
    for also in kept.filter(pk__in=whole_numbers(request.POST.getlist("also"))):
        order_kept(layer, also)
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}&fresh={made.pk}")


def order_kept(layer: Layer, kept: OutputPreset) -> PrintFile:
    """Submit a print file of a layer by a preset.

    Raises
    ------
    Refusal
        When it can't be written any more; the message names the preset.
    """
    form = PrintFileForm(kept.form)
    if not form.is_valid():
        raise Refusal(f"“{kept.name}” can't be written any more; save that kind of file again.")
    return prints.order(layer, form.asked(layer.piece), form.cleaned_data["pattern"])


@require_POST
@login_required
def order_strip(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Submit a test strip."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.POST)
    strip = StripForm(request.POST, choices=strip_choices(layer.piece))
    if not (form.is_valid() and strip.is_valid()):
        shown = {"form": form if form.errors else strip, "layer": layer}
        return render(request, "prints/file_refused.html", shown, status=422)
    wanted, pattern = form.asked(layer.piece), form.cleaned_data["pattern"]
    made = prints.order_strip(layer, strip.strip(), wanted, pattern)
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}&fresh={made.pk}")


@require_POST
@login_required
def keep(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Save the current settings as a preset, replacing one of that name."""
    layer = own_layer(request, layer_id)
    form, name = PrintFileForm(request.POST), request.POST.get("keep_as", "").strip()[:80]
    if not form.is_valid():
        return render(request, "prints/file_refused.html", {"form": form, "layer": layer},
                      status=422)  # fmt: skip
    if not name:
        raise Refusal("Give this kind of file a name to keep it by.")
    kept = {field: form.cleaned_data[field] for field in form.fields}
    OutputPreset.objects.update_or_create(
        owner_id=person(request).pk, name=name, defaults={"form": kept}
    )
    messages.success(
        request, f"“{name}” is kept; it can be written with others, and of other pieces."
    )
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}")


@require_POST
@login_required
def delete_preset(request: HttpRequest, number: int) -> HttpResponse:
    """Delete a preset."""
    get_object_or_404(OutputPreset, pk=number, owner_id=person(request).pk).delete()
    return redirect("print-files")


@require_POST
@login_required
def cost(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Return what the current settings give, as part of the page."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.POST)
    shown = file_cost(layer, form) | {"layer": layer, "form": form}
    return render(request, "prints/file_consequences.html", shown)


@require_POST
@login_required
def take_profile(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Test and add a colour profile of the artist's own."""
    layer = own_layer(request, layer_id)
    upload = request.FILES.get("profile_file")
    if upload is None:
        raise Refusal("Choose a profile file first.")
    name = safe(Path(upload.name or "").stem, "")
    found = profiles.add_profile(upload.read(profiles.LARGEST_FILE + 1), name)
    messages.success(request, f"The profile “{found.title}” can be chosen now.")
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}")


@require_GET
@login_required
def state(request: HttpRequest, print_id: UUID) -> JsonResponse:
    """Return the state of a print file."""
    made = own_print(request, print_id)
    left = made.seconds_left
    words = made.state_label if left is None else f"{duration(left)} left"
    return JsonResponse({"open": made.open, "progress": made.progress, "words": words})


@require_GET
@login_required
def take_away(request: HttpRequest, print_id: UUID) -> HttpResponse | FileResponse:
    """Send a print file."""
    made = own_print(request, print_id)
    if not made.file:
        raise Http404
    kind = PrintSettings.from_json(made.settings).media_type
    return send(
        request, made.file.open("rb"), as_attachment=True, filename=made.name, content_type=kind
    )


@require_POST
@login_required
def delete(request: HttpRequest, print_id: UUID) -> HttpResponse:
    """Delete a print file."""
    made = own_print(request, print_id)
    prints.delete(made)
    if request.POST.get("stay") == "files":
        return redirect("print-files")
    return redirect(f"{_files(made.layer.piece)}&layer={made.layer_id}")


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH)
def laid_picture(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Send a layer as the current print lays it out, or as it is, reduced."""
    layer = own_layer(request, layer_id)
    plan = None if request.GET.get("plan") == WHOLE else layer.piece.print_plan
    return HttpResponse(proofing.laid_picture(layer, plan), content_type="image/webp")


@require_GET
@login_required
@cache_control(private=True, max_age=A_MONTH)
def proof_tile(
    request: HttpRequest, layer_id: UUID, level: int, column: int, row: int
) -> HttpResponse:
    """Send a tile of a layer as it will look on paper, by the settings of the forms of file and proof."""
    layer = own_layer(request, layer_id)
    form, seen = PrintFileForm(request.GET), ProofForm(request.GET)
    if not (form.is_valid() and seen.is_valid()):
        raise Http404
    wanted = form.asked(layer.piece)
    png = proofing.tile(layer, level, column, row, seen.proof(wanted, laid(wanted, layer.size)[1]))
    if png is None:
        raise Http404
    return HttpResponse(png, content_type="image/png")


def _files(piece: Piece) -> str:
    return f"{piece.get_absolute_url()}?task=file"


@require_POST
@login_required
def print_view(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save a change of the current print, and return the part of the page that depends on it."""
    piece = own_piece(request, piece_id)
    layer = own_layer(request, posted_id(request, "layer"))
    form = PrintForm(request.POST, start=piece.base.size, unit=unit_of(request))
    if not form.is_valid():
        return render(request, "web/refused.html", {"form": form})
    try:
        shown = present_print(piece, layer, form)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return render(request, "web/refused.html", {"form": form})
    piece.keep_print(form.plan())
    return render(request, "prints/print_consequences.html", shown | {"form": form})


@require_POST
@login_required
def use_plan(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Replace the schedule by the proposed coats."""
    piece = own_piece(request, piece_id)
    form = PrintForm(request.POST, start=piece.base.size, unit=unit_of(request))
    if not form.is_valid():
        return show_again(request, piece, "print", form)
    try:
        coats = planned(piece, form)
    except Refusal as refusal:
        form.add_error(None, str(refusal))
        return show_again(request, piece, "print", form)
    piece.keep_print(form.plan())
    piece.keep_schedule(Schedule(tuple(stage.coat for stage in coats)))
    return redirect(f"{piece.get_absolute_url()}?task=coat")


@require_POST
@login_required
def order_sheet(request: HttpRequest, sheet_id: UUID) -> HttpResponse:
    """Submit a print file of a swatch sheet."""
    shown = own_sheet(request, sheet_id)
    file = {"png": FileFormat.PNG, "tif": FileFormat.TIFF}.get(request.POST.get("kind", ""))
    if file is None or not shown.swatches.filter(state=Swatch.State.DONE).exists():
        raise Http404
    made = prints.order_sheet(shown, file)
    return redirect(f"{reverse('print-files')}?fresh={made.pk}")
