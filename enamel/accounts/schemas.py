"""API schemas: refusals, accounts, and settings of core."""

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
"""JSON Schemas of core's settings, by their name in the API description."""
STANDS_FOR = "x-form"
"""Marks where one of them belongs. pydantic has no references to schemas that it did not make."""
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
    """Why a request was refused."""

    error: str
    field: str = Field("", description="Path of the setting that is wrong.")


class Me(Schema):
    name: str
    scopes: list[str]
