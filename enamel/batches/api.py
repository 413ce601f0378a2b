"""Endpoints for batches."""

from collections.abc import Callable
from enum import StrEnum
from typing import Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Status

from enamel.accounts.api import CHANGING, FIRE, LOOKING, READ, require_scope
from enamel.accounts.models import Scope
from enamel.batches import services
from enamel.batches.access import own_batch
from enamel.batches.models import Batch
from enamel.batches.schemas import BatchBody, BatchRequest
from enamel.core.errors import Refusal
from enamel.core.pipeline.treatment import Treatment
from enamel.library.models import Piece

router = Router(tags=["Batches"])


class Change(StrEnum):
    """What can be done with a batch that runs."""

    PAUSE = "pause"
    RESUME = "resume"
    END = "end"


CHANGES: dict[Change, Callable[[Batch], None]] = {
    Change.PAUSE: services.pause,
    Change.RESUME: services.resume,
    Change.END: services.end,
}


@router.post(
    "/batches", response={201: BatchBody}, auth=FIRE, throttle=CHANGING, summary="Start a batch"
)
def start(request: HttpRequest, wanted: BatchRequest) -> Status[BatchBody]:
    """Of pieces, in the order they are named. A batch that writes files also needs the scope “files”."""
    treatment = Treatment.from_json(wanted.treatment)
    if treatment.files:
        require_scope(request, Scope.FILES)
    known = Piece.objects.of(request.user).with_base().in_bulk(wanted.pieces)
    missing = [str(piece_id) for piece_id in wanted.pieces if piece_id not in known]
    if missing:
        raise Refusal(f"There is no piece {missing[0]}. Nothing was begun.")
    pieces = [known[piece_id] for piece_id in dict.fromkeys(wanted.pieces)]
    owner: Any = request.user
    batch = services.start(
        owner, wanted.name, treatment, pieces,
        urgency=Batch.Urgency[wanted.urgency.upper()],
    )  # fmt: skip
    return Status(201, BatchBody.of(batch))


@router.get(
    "/batches/{batch_id}", response=BatchBody, auth=READ, throttle=LOOKING,
    summary="Batch status",
)  # fmt: skip
def batch(request: HttpRequest, batch_id: UUID) -> BatchBody:
    """With the state of each picture."""
    return BatchBody.of(own_batch(request, batch_id))


@router.post(
    "/batches/{batch_id}/{change}", response=BatchBody, auth=FIRE, throttle=CHANGING,
    summary="Pause, resume or end a batch",
)  # fmt: skip
def change(request: HttpRequest, batch_id: UUID, change: Change) -> BatchBody:
    """Results stay in any case."""
    CHANGES[change](own_batch(request, batch_id))
    return BatchBody.of(own_batch(request, batch_id))
