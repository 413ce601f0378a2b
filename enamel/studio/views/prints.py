"""Print files: ordered, asked after, taken away, let go of."""

from pathlib import Path
from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from enamel.core.errors import Refusal
from enamel.core.print import profiles
from enamel.core.print.naming import safe
from enamel.core.print.output import PrintSettings
from enamel.kiln import prints, tasks
from enamel.kiln.models import Piece, PrintFile
from enamel.studio.forms import PrintFileForm
from enamel.studio.sending import send
from enamel.studio.shown.prints import file_cost
from enamel.studio.views.access import own_layer


def own_print(request: HttpRequest, print_id: UUID) -> PrintFile:
    known = PrintFile.objects.of(request.user).select_related("layer__piece")
    return get_object_or_404(known, pk=print_id)


@require_POST
@login_required
def order(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Have a layer written as a file that opens elsewhere at the right physical size."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.POST)
    if not form.is_valid():
        return render(request, "studio/workspace/file_refused.html", {"form": form, "layer": layer},
                      status=422)  # fmt: skip
    made = prints.order(layer, form.asked(layer.piece), form.cleaned_data["pattern"])
    tasks.enqueue_print(made)
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}&fresh={made.pk}")


@require_POST
@login_required
def cost(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """What the file in hand would be, as a piece of page."""
    layer = own_layer(request, layer_id)
    form = PrintFileForm(request.POST)
    shown = file_cost(layer, form) | {"layer": layer, "form": form}
    return render(request, "studio/workspace/file_cost.html", shown)


@require_POST
@login_required
def take_profile(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """Take in a colour profile of the artist's own, once it was tried."""
    layer = own_layer(request, layer_id)
    upload = request.FILES.get("profile_file")
    if upload is None:
        raise Refusal("Choose a profile file first.")
    name = safe(Path(upload.name or "").stem, "")
    found = profiles.take_in(upload.read(profiles.LARGEST_FILE + 1), name)
    messages.success(request, f"The profile “{found.title}” can be chosen now.")
    return redirect(f"{_files(layer.piece)}&layer={layer.pk}")


@require_GET
@login_required
def state(request: HttpRequest, print_id: UUID) -> JsonResponse:
    """How far a print file is written."""
    made = own_print(request, print_id)
    return JsonResponse({"open": made.open, "share": made.share})


@require_GET
@login_required
def take_away(request: HttpRequest, print_id: UUID) -> HttpResponse | FileResponse:
    """The file itself."""
    made = own_print(request, print_id)
    if not made.file:
        raise Http404
    kind = PrintSettings.from_json(made.settings).output.file.media_type
    return send(
        request, made.file.open("rb"), as_attachment=True, filename=made.name, content_type=kind
    )


@require_POST
@login_required
def let_go(request: HttpRequest, print_id: UUID) -> HttpResponse:
    """Delete a print file before its time."""
    made = own_print(request, print_id)
    prints.let_go(made)
    return redirect(f"{_files(made.layer.piece)}&layer={made.layer_id}")


def _files(piece: Piece) -> str:
    return f"{piece.get_absolute_url()}?task=file"
