"""JSON of every wrong shape, to every address that takes some: refused in words, never an error."""

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from hypothesis import given, settings
from hypothesis import strategies as st

from enamel.accounts.models import Scope
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.core.finishing.recipe import Finish
from enamel.core.jsontext import DEEPEST, MOST_BYTES, read_json
from enamel.core.masks import Mask
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import TouchUp
from enamel.core.pipeline.treatment import Treatment
from enamel.core.schedule import Schedule
from enamel.firings import services as firings
from enamel.library.models import Piece
from tests.schedules import coat
from tests.scripts import asking
from tests.server.test_access import addresses

HOSTILE = {
    "unhashable": '{"steps": [{"kind": []}]}',
    "deep": "[" * 100_000,
    "deep and closed": "[" * 900 + "]" * 900,
    "deep object": '{"steps":' * 200 + "1" + "}" * 200,
    "endless number": '{"size": [1e400, 1]}',
    "not a number": '{"size": [NaN, 1], "steps": []}',
    "long number": '{"size": [' + "9" * 5000 + ", 1]}",
    "wrong kinds": '{"size": {}, "steps": 5, "coats": [null], "kind": 1}',
    "list": "[[], [1], {}, null]",
    "text": '"x"',
    "null": "null",
    "cut": '{"steps": [',
}
FIELDS = ("mask", "inlays", "faces", "recipe", "over", "outline", "masks", "settings", "masks-0")


def test_no_address_of_the_pages_breaks(client: Client, artist: User, piece: Piece) -> None:
    client.force_login(artist)
    client.raise_request_exception = False
    listed = addresses(piece, firings.enqueue_schedule(piece.base, coat()))
    for named in ("unhashable", "deep", "endless number", "wrong kinds", "list", "cut"):
        text = HOSTILE[named]
        for name, address in listed.items():
            given = dict.fromkeys(FIELDS, text) | {"layer": str(piece.base.pk), "window": "0 0 9 9"}
            answer = client.post(address, given)
            assert answer.status_code < 500, f"{name}, {named}: {answer.status_code}"
        file = SimpleUploadedFile("schedule.json", text.encode())
        answer = client.post(reverse("import-preset", args=[piece.pk]), {"file": file}, follow=True)
        assert answer.status_code < 500, named


def test_no_endpoint_of_the_api_breaks(client: Client, artist: User, piece: Piece) -> None:
    ask = asking(client, artist, Scope.values)
    client.raise_request_exception = False
    for method, path in (
        ("put", f"pieces/{piece.pk}/schedule"), ("post", f"pieces/{piece.pk}/cost"),
        ("post", f"pieces/{piece.pk}/firings"), ("post", f"pieces/{piece.pk}/sheets"),
        ("post", f"layers/{piece.base.pk}/files"), ("post", "batches"), ("post", "compare"),
    ):  # fmt: skip
        for named, hostile in HOSTILE.items():
            for text in (hostile, f'{{"schedule": {hostile}}}'):
                answer = ask(method, path, content_type="application/json", data=text)
                assert answer.status_code < 500, f"{path}, {named}"
                if answer.status_code >= 400:
                    assert len(answer.json()["error"]) < 1000


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=9),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(
        st.sampled_from(["size", "steps", "kind", "coats", "refine", "points", "x", "mask", "by"]),
        inner, max_size=4,
    ),
    max_leaves=12,
)  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(given=JSON)
def test_settings_of_any_shape_are_read_or_refused(given: object) -> None:
    for kind in (Mask, Schedule, Finish, Inlay, TouchUp, Treatment, PrintSettings):
        refused = ""
        try:
            kind.from_json(given)  # type: ignore[attr-defined]
        except Refusal as refusal:
            refused = str(refusal)
        assert len(refused) < 2000


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[" * (DEEPEST + 2) + "]" * (DEEPEST + 2), f"more than {DEEPEST} levels"),
        ("[" * 100_000, f"more than {DEEPEST} levels"),
        ("1e999", "no JSON"), ("NaN", "no JSON"), ("{", "line 1, column 2"),
        (b"\x80", "not in UTF-8"), (" " * (MOST_BYTES + 1), "longer than 2.5 MB"),
    ],
)  # fmt: skip
def test_the_door_says_why(text: str | bytes, words: str) -> None:
    with pytest.raises(Refusal, match=words):
        read_json(text)


def test_what_is_deep_enough_passes() -> None:
    assert read_json("[" * DEEPEST + "]" * DEEPEST)
