"""Endpoints for pieces and layers."""

from typing import Annotated, Any
from uuid import UUID

from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from ninja import File, Query, Router, Status, UploadedFile

from enamel.accounts.api import CHANGING, IMPORT, LOOKING, READ
from enamel.core.export.openraster import MEDIA_TYPE
from enamel.library import services
from enamel.library.access import own_layer, own_piece
from enamel.library.archives.writing import archive_of, name_of
from enamel.library.models import Piece
from enamel.library.receiving import receive_file
from enamel.library.schemas import LayerBody, PieceBody, Pieces, PieceWithLayers, UploadBody
from enamel.uploads.access import own_upload
from enamel.uploads.models import Upload
from enamel.web.downloads import stream

router = Router(tags=["Pieces"])
layer_router = Router(tags=["Layers"])
MOST_LISTED = 200
ARCHIVE = {"responses": {200: {"description": "The archive.", "content": {MEDIA_TYPE: {}}}}}
THUMBNAIL = {"responses": {200: {"description": "The picture.", "content": {"image/webp": {}}}}}


@router.get("/pieces", response=Pieces, auth=READ, throttle=LOOKING, summary="Find pieces")
def find(
    request: HttpRequest,
    words: Annotated[str, Query(max_length=200)] = "",
    mark: Annotated[str, Query(max_length=5)] = "",
    tag: Annotated[str, Query(max_length=40)] = "",
    start: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    count: Annotated[int, Query(ge=1, le=MOST_LISTED)] = 60,
) -> Pieces:
    """The newest first. Every word has to occur in title, tags, notes or prompt."""
    found = Piece.objects.of(request.user).found(words)
    if mark:
        found = found.filter(mark=mark)
    if tag:
        found = found.filter(tags__contains=[tag])
    page = found.with_base()[start : start + count]
    return Pieces(count=found.count(), pieces=[PieceBody.of(piece) for piece in page])


@router.post(
    "/pieces", response={201: PieceBody, 202: UploadBody}, auth=IMPORT, throttle=CHANGING,
    summary="Import a picture",
)  # fmt: skip
def import_picture(request: HttpRequest, file: Annotated[UploadedFile, File()]) -> Status[Any]:
    """A PNG, JPEG, WebP or TIFF, or a piece's archive. Archives and large pictures are read by a worker: 202,
    with the upload, whose progress can be asked for.
    """
    owner: Any = request.user
    found = receive_file(owner, file, file.name or "picture")
    if isinstance(found, Upload):
        return Status(202, UploadBody.of(found))
    return Status(201, PieceBody.of(found))


@router.get(
    "/uploads/{upload_id}", response=UploadBody, auth=READ, throttle=LOOKING,
    summary="Upload status",
)  # fmt: skip
def upload(request: HttpRequest, upload_id: UUID) -> UploadBody:
    """The piece is named once the file has been read."""
    return UploadBody.of(own_upload(request, upload_id))


@router.get(
    "/pieces/{piece_id}", response=PieceWithLayers, auth=READ, throttle=LOOKING,
    summary="A piece with its layers",
)  # fmt: skip
def piece(request: HttpRequest, piece_id: UUID) -> PieceWithLayers:
    """Its layers in the order they were made."""
    return PieceWithLayers.of(own_piece(request, piece_id))


@router.get(
    "/pieces/{piece_id}/archive.ora", auth=READ, throttle=LOOKING,
    summary="A piece as a file", openapi_extra=ARCHIVE,
)  # fmt: skip
def archive(request: HttpRequest, piece_id: UUID) -> StreamingHttpResponse:
    """With all its layers, for another installation. Made while it is sent; opens as OpenRaster elsewhere."""
    piece = own_piece(request, piece_id)
    return stream(archive_of(piece), name_of(piece), MEDIA_TYPE)


@router.delete(
    "/pieces/{piece_id}", response={204: None}, auth=IMPORT, throttle=CHANGING,
    summary="Delete a piece",
)  # fmt: skip
def delete_piece(request: HttpRequest, piece_id: UUID) -> Status[None]:
    """It can be restored on its page for 30 days; its firings stop."""
    services.delete_pieces([own_piece(request, piece_id)])
    return Status(204, None)


@layer_router.get(
    "/layers/{layer_id}", response=LayerBody, auth=READ, throttle=LOOKING, summary="A layer"
)
def layer(request: HttpRequest, layer_id: UUID) -> LayerBody:
    """With the settings that made it."""
    return LayerBody.of(own_layer(request, layer_id))


@layer_router.get(
    "/layers/{layer_id}/thumbnail.webp", auth=READ, throttle=LOOKING,
    summary="A layer, small", openapi_extra=THUMBNAIL,
)  # fmt: skip
def thumbnail(request: HttpRequest, layer_id: UUID) -> HttpResponse:
    """404 before it is ready to be looked at."""
    found = own_layer(request, layer_id)
    if not found.thumbnail:
        raise Http404
    with found.thumbnail.open("rb") as file:
        return HttpResponse(file.read(), content_type="image/webp")
