"""Downloads: sent in blocks, and in part when the browser asks for a range."""

import re
from collections.abc import AsyncIterator
from typing import IO, Any

from asgiref.sync import sync_to_async
from django.http import (
    FileResponse,
    HttpRequest,
    HttpResponse,
    JsonResponse,
    StreamingHttpResponse,
)
from django.utils.http import content_disposition_header
from zipstream import ZipStream

BLOCK = 512 * 1024
RANGE = re.compile(r"bytes=(\d{0,15})-(\d{0,15})")


def kept_as(name: str, response: HttpResponse) -> HttpResponse:
    """Return a response that the browser saves as a file of that name."""
    response["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


def json_file(name: str, form: Any) -> HttpResponse:
    """Return a response that the browser saves as a JSON file of that name."""
    return kept_as(name, JsonResponse(form, json_dumps_params={"indent": 2}))


class Part:
    """Part of an open file, as a file that ends there."""

    def __init__(self, file: IO[bytes], first: int, length: int) -> None:
        file.seek(first)
        self.file = file
        self.left = length
        self.close = file.close

    def read(self, most: int) -> bytes:
        block = self.file.read(min(most, self.left))
        self.left -= len(block)
        return block


class Blocks(FileResponse):
    """A file read in blocks by the event loop. Django itself would read all of it first."""

    block_size = BLOCK

    async def __aiter__(self) -> AsyncIterator[bytes]:
        assert self.file_to_stream is not None
        read = sync_to_async(self.file_to_stream.read, thread_sensitive=False)
        while block := await read(BLOCK):
            yield block


def send(request: HttpRequest, file: IO[bytes], **facts: Any) -> HttpResponse | FileResponse:
    """Return a response with an open file, or with the part that the request asks for (RFC 9110, section
    14; one range).

    Parameters
    ----------
    facts : ``as_attachment``, ``filename``, ``content_type`` of Django's `FileResponse`.
    """
    length = file.seek(0, 2)
    file.seek(0)
    found = RANGE.fullmatch(request.headers.get("Range", ""))
    if found is None or found.groups() == ("", "") or "If-Range" in request.headers:
        response = Blocks(file, **facts)
        response["Content-Length"] = length
        response["Accept-Ranges"] = "bytes"
        return response
    begin, end = found.groups()
    first = int(begin) if begin else max(0, length - int(end))
    last = min(int(end), length - 1) if begin and end else length - 1
    if first > last:
        file.close()
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{length}"})
    response = Blocks(Part(file, first, last - first + 1), status=206, **facts)
    response["Content-Length"] = last - first + 1
    response["Content-Range"] = f"bytes {first}-{last}/{length}"
    response["Accept-Ranges"] = "bytes"
    return response


def stream(archive: ZipStream, name: str, media_type: str) -> StreamingHttpResponse:
    """Return a response with an archive, which is made while it is sent."""
    response = StreamingHttpResponse(_blocks(archive), content_type=media_type)
    response["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


async def _blocks(archive: ZipStream) -> AsyncIterator[bytes]:
    """Yield the archive's blocks, made in a thread beside the event loop."""
    blocks = iter(archive)
    read = sync_to_async(lambda: next(blocks, b""), thread_sensitive=False)
    while block := await read():
        yield block
