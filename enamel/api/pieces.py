"""Pieces: found, imported, deleted; their schedules."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Body, File, Query, Router, Status, UploadedFile

from enamel.api import own
from enamel.api.access import BRING, CHANGING, FIRE, LOOKING, READ
from enamel.api.bodies import (
    ArrivalBody,
    Cost,
    PieceBody,
    Pieces,
    PieceWithLayers,
    ScheduleForm,
    SchedulePresetBody,
)
from enamel.core.schedule import Schedule
from enamel.kiln.firings import asking as firings
from enamel.kiln.models import Arrival, Piece, SchedulePreset
from enamel.kiln.pieces import arrivals

router = Router(tags=["Pieces"])
MOST_LISTED = 200


@router.get("/pieces", response=Pieces, auth=READ, throttle=LOOKING, summary="Find pieces")
def find(
    request: HttpRequest,
    words: Annotated[str, Query(max_length=200)] = "",
    mark: Annotated[str, Query(max_length=5)] = "",
    tag: Annotated[str, Query(max_length=40)] = "",
    start: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    count: Annotated[int, Query(ge=1, le=MOST_LISTED)] = 60,
) -> Pieces:
    """The newest first. Every word has to occur in title, tags, notes or prompt."""
    found = Piece.objects.of(request.user).found(words)
    if mark:
        found = found.filter(mark=mark)
    if tag:
        found = found.filter(tags__contains=[tag])
    page = found.with_base()[start : start + count]
    return Pieces(count=found.count(), pieces=[PieceBody.of(piece) for piece in page])


@router.post(
    "/pieces", response={201: PieceBody, 202: ArrivalBody}, auth=BRING, throttle=CHANGING,
    summary="Import a picture",
)  # fmt: skip
def import_picture(request: HttpRequest, file: Annotated[UploadedFile, File()]) -> Status[Any]:
    """A PNG, JPEG, WebP or TIFF. Large ones are read by the kiln: 202, and ask after the arrival."""
    owner: Any = request.user
    found = arrivals.receive_picture(owner, file, file.name or "picture")
    if isinstance(found, Arrival):
        return Status(202, ArrivalBody.of(found))
    return Status(201, PieceBody.of(found))


@router.get(
    "/arrivals/{arrival_id}", response=ArrivalBody, auth=READ, throttle=LOOKING,
    summary="Upload status",
)  # fmt: skip
def arrival(request: HttpRequest, arrival_id: UUID) -> ArrivalBody:
    """Its piece is named once it is there."""
    return ArrivalBody.of(get_object_or_404(Arrival.objects.of(request.user), pk=arrival_id))


@router.get(
    "/pieces/{piece_id}", response=PieceWithLayers, auth=READ, throttle=LOOKING,
    summary="A piece with its layers",
)  # fmt: skip
def piece(request: HttpRequest, piece_id: UUID) -> PieceWithLayers:
    """Its layers in the order they were made."""
    return PieceWithLayers.of(own.piece(request, piece_id))


@router.delete(
    "/pieces/{piece_id}", response={204: None}, auth=BRING, throttle=CHANGING,
    summary="Delete a piece",
)  # fmt: skip
def delete_piece(request: HttpRequest, piece_id: UUID) -> Status[None]:
    """It can be restored on its page for 30 days; its firings stop."""
    firings.delete_pieces([own.piece(request, piece_id)])
    return Status(204, None)


@router.get(
    "/pieces/{piece_id}/schedule", response=ScheduleForm, auth=READ, throttle=LOOKING,
    summary="The current schedule",
)  # fmt: skip
def schedule(request: HttpRequest, piece_id: UUID) -> Any:
    """Every setting spelt out."""
    return own.piece(request, piece_id).schedule.to_json()


@router.put(
    "/pieces/{piece_id}/schedule", response=ScheduleForm, auth=FIRE, throttle=CHANGING,
    summary="Replace the current schedule",
)  # fmt: skip
def keep_schedule(
    request: HttpRequest, piece_id: UUID, given: Annotated[ScheduleForm, Body()]
) -> Any:
    """What is left out has its usual value. The change can be undone on the piece's page."""
    found = own.piece(request, piece_id)
    found.keep_schedule(Schedule.from_json(given))
    return found.schedule.to_json()


@router.post(
    "/pieces/{piece_id}/cost", response=Cost, auth=READ, throttle=LOOKING,
    summary="What a schedule would take",
)  # fmt: skip
def cost(request: HttpRequest, piece_id: UUID, given: Annotated[ScheduleForm, Body()]) -> Cost:
    """Tiles, time, memory and disk, from the base on; nothing is fired."""
    base = own.piece(request, piece_id).base
    return Cost.of(firings.predict_schedule(base, Schedule.from_json(given)))


@router.get(
    "/house-schedules", response=list[SchedulePresetBody], auth=READ, throttle=LOOKING,
    summary="Schedule presets",
)  # fmt: skip
def schedule_presets(request: HttpRequest) -> list[SchedulePresetBody]:
    """Those kept for reuse."""
    kept = SchedulePreset.objects.filter(owner_id=request.user.pk)
    return [
        SchedulePresetBody(name=one.name, summary=one.summary, schedule=one.schedule)
        for one in kept
    ]
