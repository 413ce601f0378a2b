"""API schemas of swatches."""

from typing import Literal
from uuid import UUID

from ninja import Field, Schema

from enamel.accounts.schemas import ScheduleInHand, Settings
from enamel.core.pipeline.sheets import BY_NAME
from enamel.swatches.models import Swatch, SwatchSheet


class Varied(Schema):
    """A setting that a sheet varies."""

    setting: Literal[tuple(BY_NAME)]  # type: ignore[valid-type]
    values: str = Field(
        max_length=400, description="As 0.2, 0.3, 0.4 or 0.2–0.5 in 4; separate prompts with |."
    )


class SheetRequest(Schema):
    """A sheet to be made. Of the schedule, the last coat is tried."""

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
    def of(cls, sheet: SwatchSheet) -> "SheetBody":
        return cls(
            id=sheet.pk, piece=sheet.piece_id, window=sheet.window,
            predicted_seconds=sheet.predicted_seconds,
            swatches=[SwatchBody.of(swatch) for swatch in sheet.swatches.all()],
        )  # fmt: skip
