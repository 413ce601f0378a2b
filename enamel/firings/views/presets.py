"""Schedule presets: save, apply, delete, export and import them as JSON files."""

from uuid import UUID

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from enamel.accounts.people import person
from enamel.core.errors import Refusal
from enamel.core.export.naming import safe
from enamel.core.jsontext import read_json
from enamel.core.schedule import Schedule
from enamel.firings.models import SchedulePreset
from enamel.library.access import own_piece
from enamel.library.models import Piece
from enamel.web.downloads import json_file
from enamel.web.parameters import whole_number

MAX_FILE = 1_000_000


def _to_coats(piece: Piece) -> HttpResponse:
    return redirect(f"{piece.get_absolute_url()}?task=coat")


def _own(request: HttpRequest, number: int) -> SchedulePreset:
    return get_object_or_404(SchedulePreset, owner_id=person(request).pk, pk=number)


def _keep(request: HttpRequest, name: str, schedule: Schedule) -> bool:
    """Save a schedule under a name, replacing one of that name; return whether there was none."""
    _, fresh = SchedulePreset.objects.update_or_create(
        owner_id=person(request).pk, name=name, defaults={"schedule": schedule.to_json()}
    )
    return fresh


@require_POST
@login_required
def keep(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save the piece's schedule under a name; a preset of that name is replaced."""
    piece = own_piece(request, piece_id)
    name = request.POST.get("name", "").strip()[:80]
    if not name:
        messages.error(request, "Give the preset a name. Nothing was saved.")
    else:
        fresh = _keep(request, name, piece.schedule)
        how = "kept" if fresh else "replaced by this one"
        messages.success(request, f"Preset “{name}” is {how}.")
    return _to_coats(piece)


@require_POST
@login_required
def apply(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Replace the piece's schedule by a preset; it can be undone."""
    piece = own_piece(request, piece_id)
    chosen = whole_number(request.POST.get("schedule"))
    if chosen is None:
        messages.error(request, "Choose a preset first.")
        return _to_coats(piece)
    preset = _own(request, chosen)
    if "delete" in request.POST:
        preset.delete()
        messages.success(
            request, f"Preset “{preset.name}” is deleted. Pieces keep their schedules."
        )
        return _to_coats(piece)
    try:
        piece.keep_schedule(preset.as_schedule())
        messages.success(
            request, f"“{preset.name}” is this piece's schedule now. Undo restores the old one."
        )
    except Refusal as refusal:
        messages.error(request, f"“{preset.name}” can't be used here: {refusal}")
    return _to_coats(piece)


@require_GET
@login_required
def export(request: HttpRequest, number: int) -> HttpResponse:
    """Send a schedule preset as a file, which `enamel fire --schedule` also reads."""
    preset = _own(request, number)
    return json_file(f"{safe(preset.name, 'schedule')}.schedule.json", preset.schedule)


@require_POST
@login_required
def import_preset(request: HttpRequest, piece_id: UUID) -> HttpResponse:
    """Save a schedule from a JSON file as a preset, named after the file."""
    piece = own_piece(request, piece_id)
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose a schedule file first.")
        return _to_coats(piece)
    name = (file.name or "schedule").removesuffix(".json").removesuffix(".schedule")[:80]
    try:
        if (file.size or 0) > MAX_FILE:
            raise Refusal("It is larger than any schedule.")
        schedule = Schedule.from_json(read_json(file.read()))
    except Refusal as refusal:
        messages.error(request, f"{file.name} can't be imported: {refusal} Nothing was saved.")
        return _to_coats(piece)
    _keep(request, name, schedule)
    messages.success(request, f"Preset “{name}” is saved.")
    return _to_coats(piece)
