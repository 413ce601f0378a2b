"""API schemas of schedules and firings."""

from datetime import datetime
from uuid import UUID

from ninja import Field, Schema

from enamel.accounts.schemas import ScheduleForm, ScheduleInHand
from enamel.core.pipeline.predict import Prediction
from enamel.firings.models import Firing


class SchedulePresetBody(Schema):
    """A schedule preset."""

    name: str
    summary: str
    schedule: ScheduleForm


class CoatCostBody(Schema):
    width: int
    height: int
    tiles: int
    seconds: float


class Cost(Schema):
    """What a firing would take on this machine."""

    tiles: int
    megapixel_steps: float
    seconds: float
    memory_mb: float
    disk_mb: float
    coats: list[CoatCostBody]

    @classmethod
    def of(cls, found: Prediction) -> "Cost":
        coats = [
            CoatCostBody(
                width=coat.size.width,
                height=coat.size.height,
                tiles=coat.tiles,
                seconds=coat.seconds,
            )
            for coat in found.coats
        ]
        return cls(
            tiles=found.tiles, megapixel_steps=found.megapixel_steps, seconds=found.seconds,
            memory_mb=found.memory_mb, disk_mb=found.disk_mb, coats=coats,
        )  # fmt: skip


class FiringRequest(Schema):
    schedule: ScheduleInHand = None
    layer: UUID | None = Field(None, description="What it is fired on; the base when left out.")


class FiringBody(Schema):
    """One run of a schedule."""

    id: UUID
    piece: UUID
    start: UUID
    work: str
    state: str
    coat: int = Field(description="In work, from 0.")
    done: int = Field(description="Tiles finished.")
    total: int
    seconds_left: float | None
    predicted_seconds: float | None
    error: str
    result: UUID | None
    created: datetime
    started: datetime | None
    ended: datetime | None

    @classmethod
    def of(cls, firing: Firing) -> "FiringBody":
        return cls(
            id=firing.pk, piece=firing.piece_id, start=firing.start_id, work=firing.work,
            state=firing.state, coat=firing.coat, done=firing.done, total=firing.total,
            seconds_left=firing.seconds_left, predicted_seconds=firing.predicted_seconds,
            error=firing.error, result=firing.result_id, created=firing.created,
            started=firing.started, ended=firing.ended,
        )  # fmt: skip
