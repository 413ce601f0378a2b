"""Scripts do what artists do: pictures in, fired, tried, checked, compared, taken away; and nothing more."""

import re
from io import BytesIO
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from enamel.accounts import api as access
from enamel.accounts.models import Scope, Token
from enamel.accounts.models.tokens import MOST_TOKENS
from enamel.batches import feeding
from enamel.batches.models import Batch
from enamel.core.errors import Refusal
from enamel.firings.models import Firing, SchedulePreset
from enamel.library import receiving
from enamel.library.models import Layer, Piece
from enamel.prints.models import PrintFile
from enamel.server import api as service
from enamel.swatches.models import Swatch
from enamel.uploads.models import Upload
from tests.schedules import coat
from tests.scripts import Ask, asking
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
SCHEDULE = coat(steps=1).to_json()


def fired(ask: Ask, piece: Piece) -> dict[str, Any]:
    """A firing asked for and carried out."""
    answer = ask("post", f"pieces/{piece.pk}/firings", {"schedule": SCHEDULE})
    assert answer.status_code == 201
    carry_out(Firing.objects.get())
    found: dict[str, Any] = ask("get", f"firings/{answer.json()['id']}").json()
    return found


def test_a_picture_is_imported_found_and_deleted(ask: Ask, picture_file: Path) -> None:
    file = SimpleUploadedFile("lamp.png", picture_file.read_bytes(), "image/png")
    answer = ask("post", "pieces", file=None, data={"file": file})
    assert answer.status_code == 201, answer.content
    made = answer.json()
    assert (made["title"], made["base"]["width"], made["base"]["settings"]) == ("lamp", 112, None)
    for query, count in (("", 1), ("?words=lamp", 1), ("?words=tender", 0), ("?mark=keep", 0),
                         ("?tag=x", 0), ("?start=1", 1)):  # fmt: skip
        found = ask("get", f"pieces{query}").json()
        assert found["count"] == count, query
    assert len(ask("get", "pieces?start=1").json()["pieces"]) == 0
    assert ask("delete", f"pieces/{made['id']}").status_code == 204
    assert ask("get", f"pieces/{made['id']}").status_code == 404
    refused = ask("post", "pieces", data={"file": SimpleUploadedFile("x.png", b"no picture")})
    assert refused.status_code == 422
    assert "PNG, JPEG, WebP or TIFF" in refused.json()["error"]
    assert ask("post", "pieces", data={}).json()["field"] == "file"


def test_a_large_picture_is_an_upload(
    ask: Ask, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(receiving, "AT_ONCE_MEGAPIXELS", 0.001)
    file = SimpleUploadedFile("lamp.png", picture_file.read_bytes(), "image/png")
    answer = ask("post", "pieces", data={"file": file})
    assert (answer.status_code, answer.json()["state"]) == (202, "waiting")
    carry_out(Upload.objects.get())
    came = ask("get", f"uploads/{answer.json()['id']}").json()
    assert came["piece"] == str(Piece.objects.get().pk)


def test_a_schedule_is_opened_costed_and_fired(ask: Ask, piece: Piece) -> None:
    SchedulePreset.objects.create(owner=piece.owner, name="Quick", schedule=SCHEDULE)
    assert ask("get", "schedule-presets").json()[0]["schedule"] == SCHEDULE
    assert ask("put", f"pieces/{piece.pk}/schedule", SCHEDULE).json() == SCHEDULE
    assert ask("get", f"pieces/{piece.pk}/schedule").json() == SCHEDULE
    cost = ask("post", f"pieces/{piece.pk}/cost", SCHEDULE).json()
    assert (cost["coats"][0]["width"], cost["tiles"] > 0) == (224, True)
    done = fired(ask, piece)
    assert (done["state"], done["done"]) == ("done", done["total"])
    layers = ask("get", f"pieces/{piece.pk}").json()["layers"]
    assert [layer["kind"] for layer in layers] == ["base", "coat"]
    assert layers[1]["settings"]["coat"] == SCHEDULE["coats"][0]
    assert ask("get", f"layers/{done['result']}").json()["width"] == 224
    small = ask("get", f"layers/{done['result']}/thumbnail.webp")
    assert small["Content-Type"] == "image/webp"
    # on another layer, paused, gone on with
    again = ask("post", f"pieces/{piece.pk}/firings", {"layer": done["result"]}).json()
    assert again["start"] == done["result"]
    assert ask("post", f"firings/{again['id']}/pause").json()["state"] == "stopped"
    assert ask("post", f"firings/{again['id']}/resume").json()["state"] == "waiting"
    assert "can't be resumed" in ask("post", f"firings/{again['id']}/resume").json()["error"]


def test_what_is_wrong_with_a_schedule_is_reported_by_its_field(ask: Ask, piece: Piece) -> None:
    wrong = {"coats": [{"refine": {"steps": 0}}]}
    for method, path in (("put", "schedule"), ("post", "cost")):
        answer = ask(method, f"pieces/{piece.pk}/{path}", wrong)
        assert answer.status_code == 422
        assert answer.json()["field"] == "coats[0].refine.steps"
    answer = ask("post", f"pieces/{piece.pk}/sheets", {"window": [0, 0, 64]})
    assert (answer.status_code, answer.json()["field"]) == (422, "window.3")
    answer = ask("post", f"pieces/{piece.pk}/sheets", {"window": [0, 0, 3, 3]})
    assert "can't be tried" in answer.json()["error"]
    for body in ("no json", "[" * 100_000, '{"schedule": "\\u0000"}'):
        answer = ask(
            "post", f"pieces/{piece.pk}/firings", data=body, content_type="application/json"
        )
        assert answer.status_code == 400
        assert answer.json()["error"]
    assert ask("get", "pieces?words=%00").json()["field"] == ""
    assert not Firing.objects.exists()


def test_a_coat_is_tried_on_a_window(ask: Ask, piece: Piece) -> None:
    wanted = {
        "schedule": SCHEDULE, "window": [0, 0, 80, 64],
        "vary": [{"setting": "strength", "values": "0.2, 0.6"}],
    }  # fmt: skip
    sheet = ask("post", f"pieces/{piece.pk}/sheets", wanted).json()
    numbers = [swatch["number"] for swatch in sheet["swatches"]]
    assert len(numbers) == Swatch.objects.count()
    assert ask("get", f"swatches/{numbers[0]}.png").status_code == 404
    for number in numbers:
        carry_out(Swatch.objects.get(pk=number))
    done = ask("get", f"sheets/{sheet['id']}").json()["swatches"]
    assert {swatch["state"] for swatch in done} == {"done"}
    assert {swatch["coat"]["refine"]["strength"] for swatch in done} >= {0.2, 0.6}
    picture = PIL.Image.open(BytesIO(ask("get", f"swatches/{numbers[0]}.png").content))
    assert picture.size == (80, 64)
    unknown = wanted | {"vary": [{"setting": "moon", "values": "1"}]}
    assert ask("post", f"pieces/{piece.pk}/sheets", unknown).status_code == 422


def test_layers_are_checked_compared_and_taken_away(ask: Ask, piece: Piece) -> None:
    layer = Layer.objects.get(pk=fired(ask, piece)["result"])
    checks = ask("get", f"layers/{layer.pk}/checks").json()
    assert (checks["ready"], checks["verdict"]) == (True, layer.verdict)
    assert checks["measures"]["structure"] > 0.5
    assert "measured against it" in ask("get", f"layers/{piece.base.pk}/checks").json()["error"]
    rows = ask("post", "compare", {"layers": [str(layer.pk), str(layer.pk)]}).json()
    structure = next(row for row in rows if row["measure"] == "structure")
    assert structure["values"][0] == structure["values"][1] > 0.5
    Layer.objects.filter(pk=layer.pk).update(checked_by=None)
    assert ask("get", f"layers/{layer.pk}/checks").json()["ready"] is False
    answer = ask("post", "compare", {"layers": [str(layer.pk), str(layer.pk)]})
    assert "Not checked yet" in answer.json()["error"]
    wanted = {"output": {"file": "png", "bits": 16}}
    made = ask("post", f"layers/{layer.pk}/files", wanted).json()
    assert ask("get", f"files/{made['id']}/content").status_code == 404
    carry_out(PrintFile.objects.get())
    assert ask("get", f"files/{made['id']}").json()["state"] == "done"
    content = b"".join(ask("get", f"files/{made['id']}/content").streaming_content)
    assert PIL.Image.open(BytesIO(content)).size == (224, 176)
    bad = ask("post", f"layers/{layer.pk}/files", {"output": {"bits": 9}})
    assert bad.json()["field"] == "output.bits"


def test_a_batch_is_started_looked_at_and_ended(ask: Ask, piece: Piece) -> None:
    treatment = {"schedule": SCHEDULE}
    wanted = {"name": "posters", "pieces": [str(piece.pk)], "treatment": treatment}
    batch = ask("post", "batches", wanted).json()
    assert (batch["name"], batch["items"][0]["state"]) == ("posters", "waiting")
    assert ask("post", f"batches/{batch['id']}/pause").json()["paused"] is True
    assert ask("post", f"batches/{batch['id']}/resume").json()["paused"] is False
    feeding.feed()
    carry_out(Firing.objects.get())
    feeding.feed()
    (item,) = ask("get", f"batches/{batch['id']}").json()["items"]
    assert item["state"] == "done"
    assert item["result"] == str(Firing.objects.get().result_id)
    assert ask("post", f"batches/{batch['id']}/end").json()["ended"]
    missing = wanted | {"pieces": ["00000000-0000-0000-0000-000000000000"]}
    assert "There is no piece" in ask("post", "batches", missing).json()["error"]
    assert ask("post", f"batches/{batch['id']}/sing").status_code == 422


def test_another_artist_sees_nothing(
    ask: Ask, client: Client, stranger: User, piece: Piece
) -> None:
    done = fired(ask, piece)
    other = asking(client, stranger, Scope.values)
    assert other("get", "pieces").json()["count"] == 0
    firing = done["id"]
    for method, path in (
        ("get", f"pieces/{piece.pk}"), ("delete", f"pieces/{piece.pk}"), ("get", f"firings/{firing}"),
        ("post", f"firings/{firing}/pause"), ("get", f"layers/{done['result']}/checks"),
        ("get", f"layers/{done['result']}/thumbnail.webp"), ("get", f"pieces/{piece.pk}/schedule"),
    ):  # fmt: skip
        answer = other(method, path)
        assert answer.status_code == 404, path
        assert answer.json()["error"] == "It is not there, or not yours."
    assert other("post", f"layers/{done['result']}/files", {}).status_code == 404
    named = {"layer": str(piece.base.pk)}
    mine = asking(client, piece.owner, ["fire"])
    elsewhere = "00000000-0000-0000-0000-000000000000"
    assert mine("post", f"pieces/{piece.pk}/firings", {"layer": elsewhere}).status_code == 404
    assert other("post", f"pieces/{piece.pk}/firings", named).status_code == 404
    batch = {"pieces": [str(piece.pk)], "treatment": {}}
    assert "There is no piece" in other("post", "batches", batch).json()["error"]


def test_a_token_is_good_for_what_it_says(client: Client, artist: User, piece: Piece) -> None:
    looking = asking(client, artist, ["read"])
    assert looking("get", "me").json() == {"name": "artist", "scopes": ["read"]}
    for method, path, form in (
        ("delete", f"pieces/{piece.pk}", None), ("post", f"pieces/{piece.pk}/firings", {}),
        ("put", f"pieces/{piece.pk}/schedule", {}), ("post", f"layers/{piece.base.pk}/files", {}),
    ):  # fmt: skip
        answer = looking(method, path, form)
        assert answer.status_code == 403
        assert "not good for this" in answer.json()["error"]
    token = Token.objects.get()
    assert token.used is not None
    assert token.good_for == [Scope.READ.label]
    token.delete()
    gone = looking("get", "me")
    assert (gone.status_code, gone["WWW-Authenticate"]) == (401, "Bearer")
    assert client.get("/api/v2/me").status_code == 401
    fresh = asking(client, artist, ["read"])
    User.objects.update(is_active=False)
    assert fresh("get", "me").status_code == 401


def test_only_a_tokens_hash_is_kept_and_there_is_an_end_to_them(artist: User) -> None:
    token, text = Token.objects.issue(artist, "", ["fire", "sing"])
    assert (token.name, token.scopes) == ("A script", ["fire"])
    assert text.startswith(token.begins)
    assert text not in str(Token.objects.values().get())
    assert str(token) == f"A script ({token.begins}…)"
    with pytest.raises(Refusal, match="at least one"):
        Token.objects.issue(artist, "x", ["sing"])
    for _ in range(MOST_TOKENS - 1):
        Token.objects.issue(artist, "x", ["read"])
    with pytest.raises(Refusal, match="revoke some"):
        Token.objects.issue(artist, "x", ["read"])


def test_who_asks_too_often_learns_when_to_ask_again(
    ask: Ask, client: Client, stranger: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(access.LOOKING, "_most", 3)
    assert [ask("get", "me").status_code for _ in range(4)] == [200, 200, 200, 429]
    refused = ask("get", "me")
    assert 1 <= int(refused["Retry-After"]) <= 60
    assert "ask again in" in refused.json()["error"]
    # each token by itself
    assert asking(client, stranger, ["read"])("get", "me").status_code == 200


def test_what_breaks_inside_is_reported_without_a_trace(
    ask: Ask, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(request: Any) -> None:
        raise RuntimeError("secret of the house")

    monkeypatch.setattr(service.Me, "__init__", breaks)
    answer = ask("get", "me")
    assert answer.status_code == 500
    assert "secret" not in answer.content.decode()
    assert settings.API_LOOKING.endswith("/m")


def operations() -> list[tuple[str, str, str]]:
    """Method, path and needed scope of everything that scripts can ask for, from the service itself."""
    found = []
    for path, methods in service.api.get_openapi_schema()["paths"].items():
        for method, operation in methods.items():
            ((needed,),) = [list(way) for way in operation["security"]]
            found.append((method, path.removeprefix("/api/v2/"), needed.lower()))
    return found


@pytest.mark.parametrize("scope", Scope.values)
def test_every_endpoint_is_closed_to_every_scope_but_its_own(
    client: Client, artist: User, piece: Piece, scope: str
) -> None:
    ask = asking(client, artist, [scope])
    asked = operations()
    assert {needed for _, _, needed in asked} == set(Scope.values)
    for method, path, needed in asked:
        place = re.sub(r"\{[a-z_]+\}", "00000000-0000-0000-0000-000000000000", path)
        answer = ask(method, place, {} if method in ("post", "put") else None)
        refused = answer.status_code == 403
        assert refused is (needed != scope), f"{method} {path} with “{scope}”: {answer.status_code}"
        assert answer.status_code != 500
        if needed == "read":
            assert method in ("get", "post"), f"{method} {path} changes something"


def test_a_batch_that_writes_files_needs_the_scope_for_files(
    client: Client, artist: User, piece: Piece
) -> None:
    treatment = {"coats": False, "files": [{"pattern": "{title}"}]}
    wanted = {"pieces": [str(piece.pk)], "treatment": treatment}
    refused = asking(client, artist, ["fire"])("post", "batches", wanted)
    assert refused.status_code == 403
    assert "“files”" in refused.json()["error"]
    assert not Batch.objects.exists()
    assert asking(client, artist, ["fire", "files"])("post", "batches", wanted).status_code == 201
