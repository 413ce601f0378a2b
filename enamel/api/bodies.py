"""What is sent and answered, in JSON. Settings keep the form that core reads and writes."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from ninja import Field, Schema
from pydantic import WithJsonSchema

from enamel.core.export.output import PrintSettings
from enamel.core.fields import json_schema
from enamel.core.pipeline.predict import Prediction
from enamel.core.pipeline.sheets import BY_NAME
from enamel.core.pipeline.treatment import Treatment
from enamel.core.schedule import Schedule
from enamel.kiln.models import (
    Arrival,
    Batch,
    BatchItem,
    Firing,
    Layer,
    Piece,
    PrintFile,
    Sheet,
    Swatch,
)

FORMS: dict[str, Any] = {
    form.__name__: json_schema(form) for form in (Schedule, Treatment, PrintSettings)
}
"""Forms that core reads and writes, by their name in the description."""
STANDS_FOR = "x-form"
"""Marks the place of one of them; pydantic knows no references but its own."""
ScheduleForm = Annotated[Any, WithJsonSchema({STANDS_FOR: "Schedule"})]
ScheduleInHand = Annotated[
    Any,
    WithJsonSchema(
        {STANDS_FOR: "Schedule", "default": None, "description": "The current one when left out."}
    ),
]
TreatmentForm = Annotated[Any, WithJsonSchema({STANDS_FOR: "Treatment"})]
FileForm = Annotated[Any, WithJsonSchema({STANDS_FOR: "PrintSettings"})]
Settings = Annotated[dict[str, Any] | None, WithJsonSchema({"type": ["object", "null"]})]


class Problem(Schema):
    """Why something was not done."""

    error: str
    field: str = Field("", description="Path of the setting that is wrong.")


class Me(Schema):
    name: str
    scopes: list[str]


class LayerBody(Schema):
    """One image of a piece."""

    id: UUID
    piece: UUID
    parent: UUID | None
    kind: str
    width: int
    height: int
    sha256: str
    created: datetime
    seconds: float
    settings: Settings = Field(description="What made it of its parent; null for the base.")
    verdict: str = Field(description="What its checks came to, in a line.")

    @classmethod
    def of(cls, layer: Layer) -> "LayerBody":
        return cls(
            id=layer.pk, piece=layer.piece_id, parent=layer.parent_id, kind=layer.kind,
            width=layer.width, height=layer.height, sha256=layer.sha256, created=layer.created,
            seconds=layer.seconds,
            settings=None if layer.kind == Layer.Kind.BASE else layer.step_form,
            verdict=layer.verdict,
        )  # fmt: skip


class PieceBody(Schema):
    """One picture on its way to print."""

    id: UUID
    title: str
    created: datetime
    mark: str
    tags: list[str]
    notes: str
    subject: str = Field(description="Kind of picture.")
    prompt: str = Field(description="What it was made from, where its file says so.")
    base: LayerBody

    @classmethod
    def of(cls, piece: Piece) -> "PieceBody":
        return cls(**cls.facts(piece))

    @staticmethod
    def facts(piece: Piece) -> dict[str, Any]:
        return {
            "id": piece.pk, "title": piece.title, "created": piece.created, "mark": piece.mark,
            "tags": piece.tags, "notes": piece.notes, "subject": piece.subject,
            "prompt": piece.how_made.prompt, "base": LayerBody.of(piece.base),
        }  # fmt: skip


class PieceWithLayers(PieceBody):
    layers: list[LayerBody] = Field(description="In the order they were made, the base first.")

    @classmethod
    def of(cls, piece: Piece) -> "PieceWithLayers":
        return cls(**cls.facts(piece), layers=[LayerBody.of(layer) for layer in piece.layers.all()])


class Pieces(Schema):
    count: int
    pieces: list[PieceBody]


class ArrivalBody(Schema):
    """A large file on its way in."""

    id: UUID
    name: str
    state: str
    share: float = Field(description="How much of it is read, 0…1.")
    error: str
    piece: UUID | None

    @classmethod
    def of(cls, arrival: Arrival) -> "ArrivalBody":
        return cls(
            id=arrival.pk, name=arrival.name, state=arrival.state, share=arrival.share,
            error=arrival.error, piece=arrival.piece_id,
        )  # fmt: skip


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


class WantedFiring(Schema):
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
            seconds_left=firing.seconds_left, predicted_seconds=firing.predicted.get("seconds"),
            error=firing.error, result=firing.result_id, created=firing.created,
            started=firing.started, ended=firing.ended,
        )  # fmt: skip


class Varied(Schema):
    """A setting that a sheet varies."""

    setting: Literal[tuple(BY_NAME)]  # type: ignore[valid-type]
    values: str = Field(
        max_length=400, description="As 0.2, 0.3, 0.4 or 0.2–0.5 in 4; separate prompts with |."
    )


class WantedSheet(Schema):
    """Of a schedule the last coat is tried."""

    schedule: ScheduleInHand = None
    window: tuple[int, int, int, int] = Field(
        description="Left, top, width, height in px of the result."
    )
    vary: list[Varied] = Field([], max_length=2)


class SwatchBody(Schema):
    number: int
    row: int
    column: int
    label: str
    state: str
    seconds: float | None
    error: str
    measures: dict[str, float]
    coat: Settings

    @classmethod
    def of(cls, swatch: Swatch) -> "SwatchBody":
        return cls(
            number=swatch.pk, row=swatch.row, column=swatch.column, label=swatch.label,
            state=swatch.state, seconds=swatch.seconds, error=swatch.error,
            measures=swatch.measures, coat=swatch.coat,
        )  # fmt: skip


class SheetBody(Schema):
    """A sheet of swatches."""

    id: UUID
    piece: UUID
    window: list[int]
    predicted_seconds: float | None
    swatches: list[SwatchBody]

    @classmethod
    def of(cls, sheet: Sheet) -> "SheetBody":
        return cls(
            id=sheet.pk, piece=sheet.piece_id, window=sheet.window,
            predicted_seconds=sheet.predicted_seconds,
            swatches=[SwatchBody.of(swatch) for swatch in sheet.swatches.all()],
        )  # fmt: skip


class Checks(Schema):
    """What the checks of a layer against its base came to."""

    layer: UUID
    ready: bool = Field(description="Whether they are there; else ask again in a moment.")
    verdict: str
    measures: dict[str, float]
    findings: list[dict[str, Any]]


class Compared(Schema):
    """One measure of several layers, in the order they were named."""

    measure: str
    unit: str
    says: str
    values: list[float | None]
    best: float | None


class WantedComparison(Schema):
    layers: list[UUID] = Field(min_length=2, max_length=6)


class FileBody(Schema):
    """A print file."""

    id: UUID
    layer: UUID
    name: str
    width: int
    height: int
    state: str
    share: float
    error: str
    note: str

    @classmethod
    def of(cls, made: PrintFile) -> "FileBody":
        return cls(
            id=made.pk, layer=made.layer_id, name=made.name, width=made.width, height=made.height,
            state=made.state, share=made.share, error=made.error, note=made.note,
        )  # fmt: skip


class WantedBatch(Schema):
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
