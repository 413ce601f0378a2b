"""Endpoints for print files."""

from typing import Annotated, Any
from uuid import UUID

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from ninja import Body, Router, Status

from enamel.accounts.api import CHANGING, FILES, LOOKING, READ
from enamel.accounts.schemas import FileForm
from enamel.core.export.output import PrintSettings
from enamel.library.access import own_layer
from enamel.prints import services
from enamel.prints.access import own_print
from enamel.prints.schemas import FileBody
from enamel.web.downloads import send

router = Router(tags=["Layers"])
WHOLE_FILE: dict[str, Any] = {"application/octet-stream": {}}
ANY_FILE = {
    "responses": {
        200: {"description": "The file.", "content": WHOLE_FILE},
        206: {"description": "The part that was asked for.", "content": WHOLE_FILE},
        416: {"description": "There is no such part."},
    }
}


@router.post(
    "/layers/{layer_id}/files", response={201: FileBody}, auth=FILES, throttle=CHANGING,
    summary="Have a print file written",
)  # fmt: skip
def write(
    request: HttpRequest, layer_id: UUID, wanted: Annotated[FileForm, Body()]
) -> Status[FileBody]:
    """Of the layer as it is, or as placed on a print. The file is kept for a week."""
    made = services.order(own_layer(request, layer_id), PrintSettings.from_json(wanted))
    return Status(201, FileBody.of(made))


@router.get(
    "/files/{file_id}", response=FileBody, auth=READ, throttle=LOOKING,
    summary="Print file status",
)  # fmt: skip
def file(request: HttpRequest, file_id: UUID) -> FileBody:
    """Once it is done, its content can be downloaded."""
    return FileBody.of(own_print(request, file_id))


@router.get(
    "/files/{file_id}/content", auth=READ, throttle=LOOKING, summary="Take a file away",
    openapi_extra=ANY_FILE,
)  # fmt: skip
def content(request: HttpRequest, file_id: UUID) -> HttpResponse | FileResponse:
    """404 before it is written. Range requests are answered."""
    made = own_print(request, file_id)
    if not made.file:
        raise Http404
    return send(
        request, made.file.open("rb"), filename=made.name, as_attachment=True,
        content_type="application/octet-stream",
    )  # fmt: skip
