"""API schemas of checks and comparisons."""

from typing import Any
from uuid import UUID

from ninja import Field, Schema


class Checks(Schema):
    """The result of checking a layer against its base."""

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


class ComparisonRequest(Schema):
    layers: list[UUID] = Field(min_length=2, max_length=6)
