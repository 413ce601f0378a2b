"""API schemas of batches."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from ninja import Field, Schema

from enamel.accounts.schemas import TreatmentForm
from enamel.batches.models import Batch, BatchItem


class BatchRequest(Schema):
    name: str = Field("Batch", max_length=120)
    pieces: list[UUID] = Field(min_length=1, max_length=1000)
    treatment: TreatmentForm
    urgency: Literal["before", "among", "behind"] = "behind"


class BatchItemBody(Schema):
    piece: UUID | None
    source: str
    state: str
    reason: str
    result: UUID | None

    @classmethod
    def of(cls, item: BatchItem) -> "BatchItemBody":
        fired = item.fired
        return cls(
            piece=item.piece_id, source=item.source, state=item.state.value, reason=item.reason,
            result=fired.pk if fired else None,
        )  # fmt: skip


class BatchBody(Schema):
    """Many pictures through one treatment."""

    id: UUID
    name: str
    paused: bool
    created: datetime
    ended: datetime | None
    items: list[BatchItemBody]

    @classmethod
    def of(cls, batch: Batch) -> "BatchBody":
        return cls(
            id=batch.pk, name=batch.name, paused=batch.paused, created=batch.created,
            ended=batch.ended,
            items=[BatchItemBody.of(item) for item in batch.items.with_all()],
        )  # fmt: skip
