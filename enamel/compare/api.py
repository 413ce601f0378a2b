"""Endpoints for checks and comparisons of layers."""

from typing import Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from enamel.accounts.api import LOOKING, READ
from enamel.compare.schemas import Checks, Compared, ComparisonRequest
from enamel.core.checks.measures import MEASURES, best_of
from enamel.core.errors import Refusal
from enamel.firings.checking import submit_check
from enamel.firings.models import LayerCheck
from enamel.library.access import own_layer
from enamel.library.models import Layer

router = Router(tags=["Layers"])


@router.get(
    "/layers/{layer_id}/checks", response=Checks, auth=READ, throttle=LOOKING,
    summary="Checks of a layer",
)  # fmt: skip
def checks(request: HttpRequest, layer_id: UUID) -> Checks:
    """A layer that has not been checked yet is checked now: ask again later. The base has no checks. A
    check that failed is reported once; asking again repeats it.
    """
    found = own_layer(request, layer_id)
    if found.kind == Layer.Kind.BASE:
        raise Refusal("The base has no checks: the others are measured against it.")
    if not found.checked:
        failed = LayerCheck.objects.filter(layer=found, state=LayerCheck.State.FAILED).first()
        if failed:
            failed.delete()
            raise Refusal(f"This layer could not be checked. {failed.error}")
        submit_check(found)
        return Checks(layer=found.pk, ready=False, verdict="", measures={}, findings=[])
    report: dict[str, Any] = found.checks or {}
    return Checks(
        layer=found.pk, ready=True, verdict=found.verdict, measures=report.get("measures", {}),
        findings=report.get("findings", []),
    )  # fmt: skip


@router.post(
    "/compare", response=list[Compared], auth=READ, throttle=LOOKING, summary="Compare layers"
)
def compare(request: HttpRequest, wanted: ComparisonRequest) -> list[Compared]:
    """The measures of two to six checked layers, each with the best value where one end is better."""
    found = [own_layer(request, layer_id) for layer_id in wanted.layers]
    unchecked = [str(one.pk) for one in found if not one.checked]
    if unchecked:
        raise Refusal(f"Not checked yet: {', '.join(unchecked)}. Ask for their checks first.")
    measured: list[dict[str, float]] = [(one.checks or {}).get("measures", {}) for one in found]
    rows = []
    for measure in MEASURES:
        values = [measure.rounded(one.get(measure.name)) for one in measured]
        rows.append(
            Compared(
                measure=measure.name, unit=measure.unit, says=measure.says, values=values,
                best=best_of(measure, values),
            )
        )  # fmt: skip
    return rows
