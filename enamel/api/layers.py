"""Layers: what their checks say, how they compare, files made of them."""

from typing import Annotated, Any
from uuid import UUID

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from ninja import Body, Router, Status

from enamel.api import own
from enamel.api.access import CHANGING, FILES, LOOKING, READ
from enamel.api.bodies import Checks, Compared, FileBody, FileForm, LayerBody, WantedComparison
from enamel.core.checks.measures import MEASURES, best_of
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.kiln import prints, queueing
from enamel.kiln.models import Layer
from enamel.sending import send

router = Router(tags=["Layers"])
WHOLE_FILE: dict[str, Any] = {"application/octet-stream": {}}
ANY_FILE = {
    "responses": {
        200: {"description": "The file.", "content": WHOLE_FILE},
        206: {"description": "The part that was asked for.", "content": WHOLE_FILE},
        416: {"description": "There is no such part."},
    }
}
THUMBNAIL = {"responses": {200: {"description": "The picture.", "content": {"image/webp": {}}}}}


@router.get(
    "/layers/{layer_id}", response=LayerBody, auth=READ, throttle=LOOKING, summary="A layer"
)
def layer(request: HttpRequest, layer_id: UUID) -> LayerBody:
    """With the settings that made it."""
    return LayerBody.of(own.layer(request, layer_id))


@router.get(
    "/layers/{layer_id}/thumbnail.webp", auth=READ, throttle=LOOKING,
    summary="A layer, small", openapi_extra=THUMBNAIL,
)  # fmt: skip
def thumbnail(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """404 before it is ready to be looked at."""
    found = own.layer(request, layer_id)
    if not found.thumbnail:
        raise Http404
    with found.thumbnail.open("rb") as file:
        return HttpResponse(file.read(), content_type="image/webp")


@router.get(
    "/layers/{layer_id}/checks", response=Checks, auth=READ, throttle=LOOKING,
    summary="Checks of a layer",
)  # fmt: skip
def checks(request: HttpRequest, layer_id: UUID) -> Checks:
    """Those of a layer that was not checked yet are made then, so ask again. The base has none."""
    found = own.layer(request, layer_id)
    if found.kind == Layer.Kind.BASE:
        raise Refusal("The base has no checks: the others are measured against it.")
    if not found.checked:
        queueing.enqueue_checks(found)
        return Checks(layer=found.pk, ready=False, verdict="", measures={}, findings=[])
    report: dict[str, Any] = found.checks or {}
    return Checks(
        layer=found.pk, ready=True, verdict=found.verdict, measures=report.get("measures", {}),
        findings=report.get("findings", []),
    )  # fmt: skip


@router.post(
    "/compare", response=list[Compared], auth=READ, throttle=LOOKING, summary="Compare layers"
)
def compare(request: HttpRequest, wanted: WantedComparison) -> list[Compared]:
    """The measures of two to six checked layers, each with the best value where one end is better."""
    found = [own.layer(request, layer_id) for layer_id in wanted.layers]
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


@router.post(
    "/layers/{layer_id}/files", response={201: FileBody}, auth=FILES, throttle=CHANGING,
    summary="Have a print file written",
)  # fmt: skip
def write(
    request: HttpRequest, layer_id: UUID, wanted: Annotated[FileForm, Body()]
) -> Status[FileBody]:
    """Of the layer as it is, or as it lies on a print. It is kept for a week."""
    made = prints.order(own.layer(request, layer_id), PrintSettings.from_json(wanted))
    return Status(201, FileBody.of(made))


@router.get(
    "/files/{file_id}", response=FileBody, auth=READ, throttle=LOOKING,
    summary="Print file status",
)  # fmt: skip
def file(request: HttpRequest, file_id: UUID) -> FileBody:
    """Done, it can be taken away."""
    return FileBody.of(own.print_file(request, file_id))


@router.get(
    "/files/{file_id}/content", auth=READ, throttle=LOOKING, summary="Take a file away",
    openapi_extra=ANY_FILE,
)  # fmt: skip
def content(request: HttpRequest, file_id: UUID) -> HttpResponse | FileResponse:
    """404 before it is written. A range of its bytes can be asked for."""
    made = own.print_file(request, file_id)
    if not made.file:
        raise Http404
    return send(
        request, made.file.open("rb"), filename=made.name, as_attachment=True,
        content_type="application/octet-stream",
    )  # fmt: skip
