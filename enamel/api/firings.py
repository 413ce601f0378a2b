"""Firings: asked for, asked after, paused, gone on with."""

from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Status

from enamel.api import own
from enamel.api.access import CHANGING, FIRE, LOOKING, READ
from enamel.api.bodies import FiringBody, WantedFiring
from enamel.core.schedule import Schedule
from enamel.kiln.firings import asking

router = Router(tags=["Firings"])


@router.post(
    "/pieces/{piece_id}/firings", response={201: FiringBody}, auth=FIRE, throttle=CHANGING,
    summary="Fire a schedule",
)  # fmt: skip
def fire(request: HttpRequest, piece_id: UUID, wanted: WantedFiring) -> Status[FiringBody]:
    """On the base, or on another layer of the piece. What is laid already is not fired again."""
    piece = own.piece(request, piece_id)
    schedule = piece.schedule if wanted.schedule is None else Schedule.from_json(wanted.schedule)
    start = own.layer_of(piece, wanted.layer)
    return Status(201, FiringBody.of(asking.enqueue_schedule(start, schedule)))


@router.get(
    "/firings/{firing_id}", response=FiringBody, auth=READ, throttle=LOOKING,
    summary="Firing status",
)  # fmt: skip
def firing(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """Its result is named once it is done."""
    return FiringBody.of(own.firing(request, firing_id))


@router.post(
    "/firings/{firing_id}/pause", response=FiringBody, auth=FIRE, throttle=CHANGING,
    summary="Pause a firing",
)  # fmt: skip
def pause(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """After the current tile; finished tiles are kept."""
    asking.stop(own.firing(request, firing_id))
    return FiringBody.of(own.firing(request, firing_id))


@router.post(
    "/firings/{firing_id}/go-on", response=FiringBody, auth=FIRE, throttle=CHANGING,
    summary="Go on with a firing",
)  # fmt: skip
def go_on(request: HttpRequest, firing_id: UUID) -> FiringBody:
    """One that was paused or failed, from where it was."""
    asking.go_on(own.firing(request, firing_id))
    return FiringBody.of(own.firing(request, firing_id))
