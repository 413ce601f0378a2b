"""Endpoints for swatches."""

from uuid import UUID

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Status

from enamel.accounts.api import CHANGING, FIRE, LOOKING, READ
from enamel.core.geometry import Box
from enamel.core.imaging.encoded import png_of
from enamel.core.pipeline.sheets import Axis
from enamel.core.schedule import Schedule
from enamel.library.access import own_piece
from enamel.swatches import services
from enamel.swatches.access import own_sheet, own_swatch
from enamel.swatches.models import Swatch
from enamel.swatches.pixels import pixels_of
from enamel.swatches.schemas import SheetBody, SheetRequest

router = Router(tags=["Swatches"])
PICTURE = {"responses": {200: {"description": "The picture.", "content": {"image/png": {}}}}}


@router.post(
    "/pieces/{piece_id}/sheets", response={201: SheetBody}, auth=FIRE, throttle=CHANGING,
    summary="Try a coat on a window",
)  # fmt: skip
def ask(request: HttpRequest, piece_id: UUID, wanted: SheetRequest) -> Status[SheetBody]:
    """One swatch, or a sheet over one or two varied settings."""
    piece = own_piece(request, piece_id)
    schedule = piece.schedule if wanted.schedule is None else Schedule.from_json(wanted.schedule)
    axes = [Axis.read(varied.setting, varied.values) for varied in wanted.vary]
    number = len(schedule.coats) - 1
    return Status(
        201, SheetBody.of(services.submit_sheet(piece, schedule, number, Box(*wanted.window), axes))
    )


@router.get(
    "/sheets/{sheet_id}", response=SheetBody, auth=READ, throttle=LOOKING,
    summary="Swatch sheet status",
)  # fmt: skip
def sheet(request: HttpRequest, sheet_id: UUID) -> SheetBody:
    """With its swatches and their measures."""
    return SheetBody.of(own_sheet(request, sheet_id))


@router.get(
    "/swatches/{number}.png", auth=READ, throttle=LOOKING, summary="A swatch's pixels",
    openapi_extra=PICTURE,
)  # fmt: skip
def picture(request: HttpRequest, number: int) -> HttpResponse:
    """As 8-bit PNG; 404 before it is done."""
    found = own_swatch(request, number)
    if found.state != Swatch.State.DONE:
        raise Http404
    return HttpResponse(png_of(pixels_of(found)), content_type="image/png")
