"""Files of an artist: kept kinds, many pieces at once, together in a ZIP, sheet, proof, strip, shop."""

import io
import json
import zipfile
from importlib import import_module
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
from asgiref.sync import async_to_sync
from django.apps import apps
from django.conf import settings as site
from django.contrib.auth.models import User
from django.core.cache import cache
from django.db import connection
from django.test import Client
from django.urls import reverse

from enamel.library.models import Piece
from enamel.orders.clients import last_answers
from enamel.orders.models import ShopOrder
from enamel.prints.forms import PrintFileForm, StripForm
from enamel.prints.models import OutputPreset, PrintFile
from tests.pages import consequences
from tests.shop import opened
from tests.workers import carry_out, take_turn

pytestmark = pytest.mark.django_db


def fields(**changes: object) -> dict[str, object]:
    """What a browser sends for a print file."""
    given = PrintFileForm.starting() | {"extent": "whole"} | changes
    return {name: value for name, value in given.items() if value is not False}


def page(client: Client, address: str) -> str:
    answer = client.get(address)
    assert answer.status_code == 200
    return " ".join(answer.content.decode().split())


def message_of(client: Client, answer: Any) -> str:
    """What an answer says: itself, or the page that it leads to."""
    if answer.status_code == 302:
        return page(client, answer["Location"])
    assert answer.status_code == 422
    return " ".join(answer.content.decode().split())


def write_all() -> list[PrintFile]:
    for made in PrintFile.objects.open():
        carry_out(made)
    return list(PrintFile.objects.order_by("created"))


def kept(client: Client, piece: Piece, name: str, **changes: object) -> OutputPreset:
    client.post(reverse("keep-output", args=[piece.base.pk]), fields(keep_as=name, **changes))
    return OutputPreset.objects.get(name=name)


def streamed(answer: Any) -> bytes:
    async def read() -> bytes:
        return b"".join([block async for block in answer.streaming_content])

    return async_to_sync(read)()


# many at once ---------------------------------------------------------------------------------


def test_a_kind_of_file_is_kept_and_written_beside_another(signed_in: Client, piece: Piece) -> None:
    screen = kept(signed_in, piece, "Screen", format="webp", longest=60, preview=True)
    assert screen.form["format"] == "webp"
    assert kept(signed_in, piece, "Screen", format="webp", longest=50).pk == screen.pk
    signed_in.post(reverse("order-print-file", args=[piece.base.pk]),
                   fields(format="png", also=[screen.pk, 987654, "x"]))  # fmt: skip
    assert [made.name for made in write_all()] == ["eye-base-112x88.png", "eye-base-50x39.webp"]
    refused = signed_in.post(reverse("keep-output", args=[piece.base.pk]), fields(keep_as=" "))
    assert "Give this kind of file a name" in message_of(signed_in, refused)
    signed_in.post(reverse("delete-output", args=[screen.pk]))
    assert not OutputPreset.objects.exists()


def test_one_kind_is_written_of_many_pieces(
    signed_in: Client, piece: Piece, artist: User, stranger: User
) -> None:
    kind = kept(signed_in, piece, "Poster", format="jpeg")
    other = Piece.objects.get(pk=piece.pk)
    signed_in.post(reverse("duplicate", args=[piece.pk]))
    pieces = list(Piece.objects.of(artist))
    assert len(pieces) == 2
    foreign = OutputPreset.objects.create(owner=stranger, name="Theirs", form=kind.form)
    given = {"piece": [str(one.pk) for one in pieces], "kind": [kind.pk, foreign.pk]}
    answer = signed_in.post(reverse("write-print-files"), given)
    assert "2 files will be written." in message_of(signed_in, answer)
    assert {made.layer.piece_id for made in write_all()} == {one.pk for one in pieces}
    assert "Poster" in page(signed_in, reverse("print-files"))
    assert other.title in page(signed_in, reverse("print-files"))
    OutputPreset.objects.filter(pk=kind.pk).update(form=kind.form | {"profile": "gone"})
    answer = signed_in.post(reverse("write-print-files"), given)
    assert "be written any more; save that kind of file again" in message_of(signed_in, answer)
    answer = signed_in.post(reverse("write-print-files"), {"kind": kind.pk})
    assert "Choose at least one piece" in message_of(signed_in, answer)


def test_chosen_files_come_in_one_zip_of_a_known_length(signed_in: Client, piece: Piece) -> None:
    for kind in ("png", "jpeg"):
        signed_in.post(reverse("order-print-file", args=[piece.base.pk]), fields(format=kind))
    files = write_all()
    chosen = {"file": [str(made.pk) for made in files], "do": "zip"}
    answer = signed_in.post(reverse("print-files-together"), chosen)
    assert answer["Content-Type"] == "application/zip"
    data = streamed(answer)
    assert len(data) == int(answer["Content-Length"])
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        for made in files:
            assert archive.read(made.name) == Path(made.file.path).read_bytes()
    none = signed_in.post(reverse("print-files-together"), {"do": "zip"})
    assert "Choose files that are written" in message_of(signed_in, none)


def test_files_are_put_into_the_workshops_folder(
    signed_in: Client, piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    signed_in.post(reverse("order-print-file", args=[piece.base.pk]), fields(format="png"))
    (made,) = write_all()
    assert "workshop's folder" not in page(signed_in, reverse("print-files"))
    monkeypatch.setattr(site, "PRINT_FOLDER", tmp_path)
    assert "workshop's folder" in page(signed_in, reverse("print-files"))
    answer = signed_in.post(reverse("print-files-together"), {"file": made.pk, "do": "to-folder"})
    assert "1 file will be put into" in message_of(signed_in, answer)


# sheet, proof, strip --------------------------------------------------------------------------


def test_the_sheet_is_drawn_with_what_applies_before_printing(
    signed_in: Client, piece: Piece
) -> None:
    consequences(signed_in, piece, paper="Folded card 210 × 148 mm", width="210 mm", height="148 mm",
                 bleed="3", fit="fill")  # fmt: skip
    words = page(signed_in, f"{piece.get_absolute_url()}?task=file")
    assert "The sheet: 210 × 148 mm after trimming, 1 fold" in words
    assert "sheet-fold" in words
    assert "safe area" in words
    assert "Too few pixels: 13 ppi" in words
    assert ">Plan the size</a>" in words
    answer = signed_in.get(reverse("laid-picture", args=[piece.base.pk]))
    with PIL.Image.open(io.BytesIO(answer.content)) as picture:
        assert picture.width / picture.height == pytest.approx(216 / 154, abs=0.03)
    whole = signed_in.get(reverse("laid-picture", args=[piece.base.pk]), {"plan": "whole"})
    assert PIL.Image.open(io.BytesIO(whole.content)).size == (112, 88)


def test_a_canvas_over_several_sheets_is_planned_and_kept(signed_in: Client, piece: Piece) -> None:
    consequences(signed_in, piece, paper="Stretched canvas 300 × 400 mm", width="300 mm", height="400 mm",
                 bleed="5", wrap="38", fit="fill", beyond="edge", split="A4", overlap="12")  # fmt: skip
    plan = piece.print_plan
    assert (plan.target.wrap_mm, plan.beyond, plan.split.overlap_mm) == (38, "edge", 12)
    assert plan.shape.safe_mm == 10
    words = page(signed_in, f"{piece.get_absolute_url()}?task=file")
    assert "sheets of paper" in words
    assert ">1.1<" in words
    assert ".zip" in words
    again = page(signed_in, f"{piece.get_absolute_url()}?task=print")
    assert '<option value="Stretched canvas 300 × 400 mm" selected>' in again
    assert '<option value="A4" selected>' in again


def test_a_proof_tile_shows_the_paper(signed_in: Client, piece: Piece) -> None:
    address = reverse("proof-tile", args=[piece.base.pk, 7, 0, 0])
    plain = signed_in.get(address, fields(gain=0))
    paper = signed_in.get(address, fields(gain=0, profile="coated", white="on"))
    assert plain["Content-Type"] == paper["Content-Type"] == "image/png"
    light = [PIL.Image.open(io.BytesIO(one.content)).convert("L").getextrema()[1]
             for one in (plain, paper)]  # fmt: skip
    assert light[1] < light[0]
    assert signed_in.get(address, fields(gain="nan")).status_code == 404
    assert signed_in.get(address, {"format": "png"}).status_code == 404


def test_a_strip_is_ordered_from_the_page(signed_in: Client, piece: Piece) -> None:
    own = StripForm.starting(f"layer:{piece.base.pk}") | {"strip_width": 10, "strip_height": 10}
    answer = signed_in.post(
        reverse("order-strip", args=[piece.base.pk]), fields(format="png") | own
    )
    assert answer.status_code == 302
    (made,) = write_all()
    assert made.strip["width_mm"] == 10
    assert "test strip" in page(signed_in, reverse("print-files"))
    wrong = own | {"strip_width": 1, "strip_sources": ["layer:x"]}
    refused = signed_in.post(reverse("order-strip", args=[piece.base.pk]), fields() | wrong)
    assert refused.status_code == 422
    assert "valid choice" in refused.content.decode()


# the shop -------------------------------------------------------------------------------------


def test_a_file_goes_to_the_shop_and_its_answer_is_a_page(
    signed_in: Client, client: Client, piece: Piece, stranger: User, tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    signed_in.post(reverse("order-print-file", args=[piece.base.pk]), fields(format="tiff"))
    (made,) = write_all()
    wrong = signed_in.post(reverse("send-to-shop", args=[made.pk]), {"paper": "satin", "copies": 0})
    assert "from 1 to 500 copies" in message_of(signed_in, wrong)
    cache.clear()
    with opened(tmp_path) as (_, counter):
        monkeypatch.setattr(site, "PRINT_SHOP", f"http://127.0.0.1:{counter.server_address[1]}")
        last_answers.refresh(last_answers.PRICES)
        assert "Satin 260 g/m², 41 EUR per m²" in page(
            signed_in, f"{piece.get_absolute_url()}?task=file"
        )
        sent = signed_in.post(
            reverse("send-to-shop", args=[made.pk]), {"paper": "satin", "copies": 2}
        )
        order = ShopOrder.objects.get()
        assert sent["Location"] == reverse("shop-order", args=[order.pk])
        state = json.loads(signed_in.get(reverse("shop-order-state", args=[order.pk])).content)
        assert state == {
            "open": True,
            "progress": 0,
            "state": "waiting",
            "words": "Waiting to be sent",
        }
        while take_turn(order) is not None:
            pass
        words = message_of(signed_in, sent)
    assert ">Accepted<" in words
    assert "for 2 copies on" in words
    assert "Resolution in print, ppi" in words
    assert signed_in.get(reverse("shop-proof", args=[order.pk]))["Content-Type"] == "image/png"
    assert "Print shop, satin, 2 copies" in page(signed_in, reverse("print-files"))
    other = Client()
    other.force_login(stranger)
    for name in ("shop-order", "shop-order-state", "shop-proof"):
        assert other.get(reverse(name, args=[order.pk])).status_code == 404
    assert other.post(reverse("delete-order", args=[order.pk])).status_code == 404
    assert other.post(reverse("send-to-shop", args=[made.pk])).status_code == 404
    signed_in.post(reverse("delete-order", args=[order.pk]))
    assert not ShopOrder.objects.exists()


def test_presets_of_before_keep_what_their_files_contain(artist: User) -> None:
    form = {"format": "png", "lies": "whole", "speaks": False}
    preset = OutputPreset.objects.create(owner=artist, name="proof", form=form)
    for migration in ("0002_extent", "0003_metadata"):
        rename = import_module(f"enamel.prints.migrations.{migration}").rename
        rename(apps, connection.schema_editor())
    preset.refresh_from_db()
    assert preset.form == {"format": "png", "extent": "whole", "metadata": False}
