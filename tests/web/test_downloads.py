"""Files on their way to the browser: whole, and by ranges; read as they are sent."""

import asyncio
import io
import random

import pytest
from django.test import RequestFactory

from enamel.web.downloads import BLOCK, send

CONTENT = random.Random(3).randbytes(3 * BLOCK + 17)


def sent(asked: str = "", **headers: str) -> tuple[int, dict[str, str], bytes, int]:
    """Status, headers, content, and the most bytes that were read at once."""
    most = 0

    class Watched(io.BytesIO):
        def read(self, size: int | None = -1) -> bytes:
            nonlocal most
            block = super().read(size)
            most = max(most, len(block))
            return block

    given = headers | ({"Range": asked} if asked else {})
    request = RequestFactory().get("/", headers=given)
    response = send(request, Watched(CONTENT), content_type="image/png")

    async def received() -> bytes:
        if not response.streaming:
            return response.content
        return b"".join([part async for part in response])

    content = asyncio.run(received())
    return response.status_code, dict(response.headers), content, most


def test_a_file_is_sent_block_by_block() -> None:
    status, headers, content, most = sent()
    assert (status, content) == (200, CONTENT)
    assert int(headers["Content-Length"]) == len(CONTENT)
    assert headers["Accept-Ranges"] == "bytes"
    assert most == BLOCK


@pytest.mark.parametrize(
    ("asked", "part"),
    [
        ("bytes=0-9", slice(0, 10)),
        ("bytes=1000-", slice(1000, None)),
        ("bytes=-20", slice(-20, None)),
        (f"bytes=5-{10 * len(CONTENT)}", slice(5, None)),
    ],
)
def test_a_range_is_sent_alone(asked: str, part: slice) -> None:
    status, headers, content, _ = sent(asked)
    assert status == 206
    assert content == CONTENT[part]
    first = range(len(CONTENT))[part][0]
    last = range(len(CONTENT))[part][-1]
    assert headers["Content-Range"] == f"bytes {first}-{last}/{len(CONTENT)}"
    assert int(headers["Content-Length"]) == len(content)


def test_what_is_behind_the_end_is_refused_and_what_is_no_range_passed_over() -> None:
    status, headers, _, _ = sent(f"bytes={len(CONTENT)}-")
    assert (status, headers["Content-Range"]) == (416, f"bytes */{len(CONTENT)}")
    for asked in ("bytes=-", "pixels=0-3", "bytes=0-3,5-9", "bytes=" + "9" * 5000 + "-"):
        assert sent(asked)[:1] == (200,)
    assert sent("bytes=0-3", **{"If-Range": "yesterday"})[0] == 200
