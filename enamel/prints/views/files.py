"""All print files of an artist: downloaded singly or together, written for many pieces, published."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST
from zipstream import ZIP_STORED, ZipStream

from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.library.models import Piece
from enamel.prints.models import OutputPreset, PrintFile, PrintFileQuerySet
from enamel.prints.presenters.files import present_files
from enamel.prints.queue import enqueue_publishing
from enamel.prints.views.prints import order_kept
from enamel.web.downloads import stream
from enamel.web.parameters import ids, whole_numbers

MOST_SHOWN = 300


@require_GET
@login_required
def files(request: HttpRequest) -> HttpResponse:
    """Show all print files, newest first, and the presets that can be written for many pieces."""
    own = _own(request).prefetch_related("orders")
    return render(request, "prints/files.html", present_files(person(request), own[:MOST_SHOWN]))


@require_POST
@login_required
def write(request: HttpRequest) -> HttpResponse:
    """Submit print files by presets, for the newest layers of chosen pieces."""
    pieces = Piece.objects.of(request.user).filter(pk__in=ids(request.POST.getlist("piece")))
    kept = OutputPreset.objects.filter(owner_id=person(request).pk)
    kinds = list(kept.filter(pk__in=whole_numbers(request.POST.getlist("kind"))))
    if not kinds or not pieces:
        raise Refusal("Choose at least one piece and one kept kind of file.")
    ordered, refused = 0, []
    for piece in pieces:
        for kind in kinds:
            try:
                order_kept(piece.layers.latest("created"), kind)
                ordered += 1
            except Refusal as refusal:
                refused.append(f"{piece.title}, {kind.name}: {refusal}")
    for words in refused:
        messages.error(request, words)
    if ordered:
        messages.success(request, f"{ordered} file{'' if ordered == 1 else 's'} will be written.")
    return redirect("print-files")


@require_POST
@login_required
def together(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Send chosen files as one ZIP, streamed while it is made; or publish them into the workshop's folder."""
    chosen = [
        made for made in _own(request).filter(pk__in=ids(request.POST.getlist("file"))) if made.file
    ]
    if not chosen:
        raise Refusal("Choose files that are written first.")
    if request.POST.get("do") == "to-folder":
        for made in chosen:
            enqueue_publishing(made)
        count = f"{len(chosen)} file{'' if len(chosen) == 1 else 's'}"
        messages.success(request, f"{count} will be put into the workshop's folder.")
        return redirect("print-files")
    archive = ZipStream(compress_type=ZIP_STORED, sized=True)
    names: set[str] = set()
    for made in chosen:
        name, number = made.name, 2
        while name in names:
            name, number = f"{number}-{made.name}", number + 1
        names.add(name)
        archive.add(made.file.chunks(), name, size=made.file.size)
    response = stream(
        archive, f"print-files-{timezone.localtime():%Y-%m-%d}.zip", "application/zip"
    )
    response["Content-Length"] = len(archive)
    return response


def _own(request: HttpRequest) -> PrintFileQuerySet:
    return PrintFile.objects.of(request.user).select_related("layer__piece")
