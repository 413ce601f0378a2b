"""What the API sends and receives: refusals, accounts, and the forms of core's settings."""

from typing import Annotated, Any

from ninja import Field, Schema
from pydantic import WithJsonSchema

from enamel.core.export.output import PrintSettings
from enamel.core.fields import json_schema
from enamel.core.pipeline.treatment import Treatment
from enamel.core.schedule import Schedule

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
