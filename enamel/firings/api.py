"""Endpoints for schedules and firings."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Body, Router, Status

from enamel.accounts.api import CHANGING, FIRE, LOOKING, READ
from enamel.accounts.schemas import ScheduleForm
from enamel.core.schedule import Schedule
from enamel.firings import services
from enamel.firings.access import own_firing
from enamel.firings.models import SchedulePreset
from enamel.firings.schemas import Cost, FiringBody, FiringRequest, SchedulePresetBody
from enamel.library.access import layer_of, own_piece

router = Router(tags=["Firings"])
schedule_router = Router(tags=["Pieces"])


@schedule_router.get(
    "/pieces/{piece_id}/schedule", response=ScheduleForm, auth=READ, throttle=LOOKING,
    summary="The current schedule",
)  # fmt: skip
def schedule(request: HttpRequest, piece_id: UUID) -> Any:
    """With all settings, also those that have their default value."""
    return own_piece(request, piece_id).schedule.to_json()


@schedule_router.put(
    "/pieces/{piece_id}/schedule", response=ScheduleForm, auth=FIRE, throttle=CHANGING,
    summary="Replace the current schedule",
)  # fmt: skip
def keep_schedule(
    request: HttpRequest, piece_id: UUID, given: Annotated[ScheduleForm, Body()]
) -> Any:
    """Settings left out have their default value. The change can be undone on the piece's page."""
    found = own_piece(request, piece_id)
    found.keep_schedule(Schedule.from_json(given))
    return found.schedule.to_json()


@schedule_router.post(
    "/pieces/{piece_id}/cost", response=Cost, auth=READ, throttle=LOOKING,
    summary="What a schedule would take",
)  # fmt: skip
def cost(request: HttpRequest, piece_id: UUID, given: Annotated[ScheduleForm, Body()]) -> Cost:
    """Tiles, time, memory and disk, from the base on; nothing is fired."""
    base = own_piece(request, piece_id).base
    return Cost.of(services.predict_schedule(base, Schedule.from_json(given)))


@schedule_router.get(
    "/schedule-presets", response=list[SchedulePresetBody], auth=READ, throttle=LOOKING,
    summary="Schedule presets",
)  # fmt: skip
def schedule_presets(request: HttpRequest) -> list[SchedulePresetBody]:
    """The saved ones."""
    kept = SchedulePreset.objects.filter(owner_id=request.user.pk)
    return [
        SchedulePresetBody(name=one.name, summary=one.summary, schedule=one.schedule)
        for one in kept
    ]


@router.post(
    "/pieces/{piece_id}/firings", response={201: FiringBody}, auth=FIRE, throttle=CHANGING,
    summary="Fire a schedule",
)  # fmt: skip
def fire(request: HttpRequest, piece_id: UUID, wanted: FiringRequest) -> Status[FiringBody]:
    """On the base, or on another layer of the piece. Coats whose layer exists already are not fired again."""
    piece = own_piece(request, piece_id)
    schedule = piece.schedule if wanted.schedule is None else Schedule.from_json(wanted.schedule)
    start = layer_of(piece, wanted.layer)
    return Status(201, FiringBody.of(services.enqueue_schedule(start, schedule)))


@router.get(
    "/firings/{firing_id}", response=FiringBody, auth=READ, throttle=LOOKING,
    summary="Firing status",
)  # fmt: skip
def firing(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """The result is named once the firing is done."""
    return FiringBody.of(own_firing(request, firing_id))


@router.post(
    "/firings/{firing_id}/pause", response=FiringBody, auth=FIRE, throttle=CHANGING,
    summary="Pause a firing",
)  # fmt: skip
def pause(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """After the current tile; finished tiles are kept."""
    services.stop(own_firing(request, firing_id))
    return FiringBody.of(own_firing(request, firing_id))


@router.post(
    "/firings/{firing_id}/resume", response=FiringBody, auth=FIRE, throttle=CHANGING,
    summary="Resume a firing",
)  # fmt: skip
def resume(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """A paused or failed firing goes on from where it was."""
    services.resume(own_firing(request, firing_id))
    return FiringBody.of(own_firing(request, firing_id))
