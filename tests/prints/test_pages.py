"""From paper to coats: exact pixels, sentences, plans, and files that carry what they are."""

import io
import json
from datetime import timedelta
from pathlib import Path
from typing import Any

import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import HttpResponse
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.models import Preferences
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.intake.metadata import carried_text
from enamel.core.intake.provenance import made
from enamel.core.intake.xmp import AI_EDITED, AI_ENHANCED, AI_MADE, properties
from enamel.core.printing.layout import Fit
from enamel.core.printing.profiles import profile_of
from enamel.core.printing.sizing import Bleed
from enamel.core.schedule import Refine
from enamel.library.layers import source_type
from enamel.library.models import Layer, Piece
from enamel.prints import jobs as writing
from enamel.prints import services as prints
from enamel.prints.forms import PrintFileForm
from enamel.prints.models import PrintFile
from enamel.prints.presenters.scale import HEIGHT, WIDTH, drawn_scale
from enamel.storage.disk import OutOfRoom
from tests.pages import consequences, print_fields, words_of
from tests.workers import carry_out

pytestmark = pytest.mark.django_db


def test_a_paper_with_bleed_becomes_exact_pixels(signed_in: Client, piece: Piece) -> None:
    shown = consequences(signed_in, piece, width="50 mm", height="4 cm", bleed="3", fit="fill")
    assert "661 × 543 px" in shown
    assert "Needs 6.17× to print 50 × 40 mm at 300 ppi." in shown
    assert piece.print_plan.target.bleed == Bleed(3, 3, 3, 3)
    assert piece.print_plan.fit is Fit.FILL


@pytest.mark.parametrize(
    ("changes", "size"),
    [
        ({"sizing": "pixels", "px_width": 900, "px_height": 500, "fit": "fill"}, "900 × 500 px"),
        ({"sizing": "factor", "factor": "4"}, "448 × 352 px"),
        ({"width": "2 in", "height": "2 in", "ppi": 100}, "200 × 157 px"),
        ({"width": "2 in", "height": "2 in", "ppi": 100, "fit": "extend"}, "200 × 200 px"),
    ],
)
def test_each_way_to_say_a_size(
    signed_in: Client, piece: Piece, changes: dict[str, object], size: str
) -> None:
    assert f'holds <span class="figure">{size}</span>' in consequences(signed_in, piece, **changes)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"width": "wide"}, "“wide” is no length"),
        ({"bleed": "1 2 3"}, "two, or four"),
        ({"ppi": 3}, "greater than or equal to 10"),
        ({"width": "90000 mm"}, "from 1 to 20000 mm"),
        ({"distance": ""}, "This field is required"),
        ({"strength-0": "2"}, "must be from 0 to 1"),
        ({"width": "9000 mm", "height": "9000 mm", "ppi": 4000}, "from 16 to 65500 px"),
    ],
)
def test_what_is_wrong_is_reported_and_the_print_kept_as_it_was(
    signed_in: Client, piece: Piece, changes: dict[str, object], words: str
) -> None:
    before = piece.print_plan
    assert words in consequences(signed_in, piece, **changes)
    assert piece.print_plan == before


def test_bare_numbers_are_in_the_artists_unit(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    Preferences.objects.create(artist=artist, unit="in")
    consequences(signed_in, piece, width="8", height="10 cm")
    assert piece.print_plan.target.width_mm == pytest.approx(203.2)
    assert piece.print_plan.target.height_mm == pytest.approx(100)
    page = signed_in.get(piece.get_absolute_url() + "?task=print").content.decode()
    assert 'value="8 in"' in page


def test_a_whole_factor_is_offered_when_it_is_near(signed_in: Client, piece: Piece) -> None:
    shown = consequences(signed_in, piece, sizing="pixels", px_width=445, px_height=350)
    assert "it is exactly 4× the base (448 × 352 px)" in shown


def test_a_plan_is_proposed_edited_and_used(signed_in: Client, piece: Piece) -> None:
    wanted = {"sizing": "pixels", "px_width": 900, "px_height": 707}
    shown = consequences(signed_in, piece, **wanted)
    assert shown.count("of the work") == 3
    assert "exact fit by plain resampling" in shown
    edits = {"strength-0": "0.5", "strength-1": "0", "upscaler-2": "bicubic"}
    shown = consequences(signed_in, piece, **wanted, **edits)
    assert shown.count("of the work") == 2
    assert "enlarged and not refined" in shown
    signed_in.post(reverse("use-plan", args=[piece.pk]), print_fields(piece, **wanted, **edits))
    piece.refresh_from_db()
    coats = piece.schedule.coats
    assert [coat.refine.strength if coat.refine else 0 for coat in coats] == [0.5, 0, 0.3, 0]
    assert coats[2].upscaler == "bicubic"
    assert piece.schedule.sizes(piece.base.size)[-1] == (900, 707)
    fewer = consequences(signed_in, piece, **wanted, growth="4")
    assert fewer.count("Upscaler of coat") == 2


def test_a_coat_can_take_the_size_of_the_print(signed_in: Client, piece: Piece) -> None:
    consequences(signed_in, piece, sizing="pixels", px_width=300, px_height=300)
    page = words_of(signed_in.get(piece.get_absolute_url() + "?task=coat"))
    assert "25.4 × 25.4 mm at 300 ppi" in page


def test_the_scale_stays_within_its_frame() -> None:
    for print_mm in ((50.0, 80.0), (297.0, 210.0), (700.0, 1000.0), (4000.0, 3000.0)):
        scale = drawn_scale(print_mm, print_mm, (100.0, 90.0))
        assert scale.beside == ("hand" if max(print_mm) < 650 else "door")
        for sheet in scale.sheets:
            assert sheet.x + sheet.width <= WIDTH
            assert sheet.y >= 0
            assert sheet.y + sheet.height <= HEIGHT
        ratio = scale.sheets[-3].width / scale.sheets[-3].height
        assert ratio == pytest.approx(print_mm[0] / print_mm[1])


def file_fields(**changes: object) -> dict[str, object]:
    """What a browser would send for a print file, with some fields changed."""
    values = PrintFileForm.starting() | {"extent": ""} | changes
    return {name: value for name, value in values.items() if value is not False}


def written(client: Client, layer: Layer, **asked: object) -> HttpResponse:
    """What the browser gets of a file that was ordered and that the kiln has written."""
    order = file_fields(format="png") | asked
    assert client.post(reverse("order-print-file", args=[layer.pk]), order).status_code == 302
    file = PrintFile.objects.latest("created")
    carry_out(file)
    answer = client.get(reverse("print-file", args=[file.pk]))
    assert answer.status_code == 200
    return answer


def file_of(client: Client, layer: Layer, **asked: object) -> tuple[PIL.Image.Image, str]:
    content = b"".join(written(client, layer, **asked))  # type: ignore[arg-type]
    with PIL.Image.open(io.BytesIO(content)) as image:
        image.load()
        return image, carried_text(image).get("XMP", "")


def test_the_file_is_laid_out_on_its_print(signed_in: Client, piece: Piece) -> None:
    consequences(signed_in, piece, width="20 mm", height="20 mm", fit="fill", centre_x=0)
    image, _ = file_of(signed_in, piece.base, extent="print")
    assert image.size == (88, 88)
    assert image.info["dpi"][0] == pytest.approx(88 / 20 * 25.4, abs=0.2)
    consequences(signed_in, piece, width="20 mm", height="20 mm", fit="extend", bleed="2 mm")
    image, _ = file_of(signed_in, piece.base, extent="print")
    assert image.size == (134, 134)
    image, _ = file_of(signed_in, piece.base, extent="whole")
    assert image.size == (112, 88)


def test_what_made_the_base_is_written_into_every_file_and_read_back(
    signed_in: Client, piece: Piece
) -> None:
    piece.made = {"prompt": "an eye\nin oils", "seed": "19", "model": "kiln-3"}
    piece.save()
    for form in ("png", "tiff", "jpeg"):
        _, xmp = file_of(signed_in, piece.base, format=form)
        found = properties(xmp)
        assert found["DigitalSourceType"] == AI_MADE, form
        assert found["title"] == "eye"
        again = made({"XMP": xmp})
        assert (again.prompt, again.seed, again.model) == ("an eye\nin oils", "19", "kiln-3")


def test_the_source_type_says_what_was_done(piece: Piece) -> None:
    def layer(parent: Layer, strength: float) -> Layer:
        recipe = {
            "coat": {"upscaler": "lanczos", "refine": {"strength": strength, "steps": 1, "seed": 1}}
        }
        return Layer(piece=piece, parent=parent, kind="coat", recipe=recipe)

    enlarged = layer(piece.base, 0.0)
    refined = layer(piece.base, Refine().strength)
    assert {source_type(True, made) for made in (piece.base, enlarged, refined)} == {AI_MADE}
    assert source_type(False, piece.base) == ""
    assert source_type(False, enlarged) == AI_ENHANCED
    assert source_type(False, layer(refined, 0.0)) == AI_EDITED


def test_words_in_a_file_come_into_the_schedule(signed_in: Client) -> None:
    text = PIL.PngImagePlugin.PngInfo()
    text.add_text("Comment", json.dumps({"prompt": "a brick arch", "seed": 77, "model": "kiln-3"}))
    buffer = io.BytesIO()
    PIL.Image.effect_noise((80, 64), 40).convert("RGB").save(buffer, "PNG", pnginfo=text)
    buffer.name = "arch.png"
    buffer.seek(0)
    signed_in.post(reverse("import-pictures"), {"files": buffer})
    piece = Piece.objects.get()
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    assert (refine.prompt, refine.seed) == ("a brick arch", 77)
    page = signed_in.get(piece.get_absolute_url() + "?task=base").content.decode()
    assert "kiln-3" in page


def test_the_print_file_is_what_was_asked_for(signed_in: Client, piece: Piece) -> None:
    answer = written(signed_in, piece.base, bits=16, ppi=254)
    assert answer.headers["Content-Disposition"] == 'attachment; filename="eye-base-112x88.png"'
    with PIL.Image.open(io.BytesIO(b"".join(answer))) as made:  # type: ignore[arg-type]
        assert made.size == (112, 88)
        assert made.info["dpi"] == pytest.approx((254, 254), abs=0.1)


def test_a_refused_print_file_is_not_ordered(signed_in: Client, piece: Piece) -> None:
    address = reverse("order-print-file", args=[piece.base.pk])
    answer = signed_in.post(address, file_fields(format="gif", ppi=3))
    assert answer.status_code == 422
    assert "The print file was not made" in answer.content.decode()
    assert not PrintFile.objects.exists()


def ordered(piece: Piece) -> PrintFile:
    return prints.order(piece.base, PrintSettings(Output(FileFormat.TIFF, 16)))


def test_a_print_file_is_listed_from_waiting_to_done(signed_in: Client, piece: Piece) -> None:
    file = ordered(piece)
    page = piece.get_absolute_url() + "?task=file"
    assert "data-open" in signed_in.get(page).content.decode()
    assert signed_in.get(reverse("print-file", args=[file.pk])).status_code == 404
    state = reverse("print-file-state", args=[file.pk])
    assert signed_in.get(state).json() == {"open": True, "progress": 0, "words": "Waiting"}
    carry_out(file)
    assert signed_in.get(state).json() == {"open": False, "progress": 1, "words": "Done"}
    assert reverse("print-file", args=[file.pk]) in signed_in.get(page).content.decode()


def test_a_print_file_that_can_not_be_written_says_why(
    signed_in: Client, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = ordered(piece)

    def broken(*_: object, **__: object) -> None:
        raise OSError(5, "Input/output error")

    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(writing, "export", full)
        with pytest.raises(OutOfRoom):
            carry_out(file)
    file.refresh_from_db()
    assert (file.state, file.attempts) == (PrintFile.State.WAITING, 0)
    assert "resumes when there is room" in file.error
    monkeypatch.setattr(writing, "export", broken)
    carry_out(file)
    file.refresh_from_db()
    assert (file.state, bool(file.file)) == (PrintFile.State.FAILED, False)
    assert (
        "Input/output error"
        in signed_in.get(piece.get_absolute_url() + "?task=file").content.decode()
    )


def test_a_print_file_at_which_workers_die_is_given_up(piece: Piece) -> None:
    file = ordered(piece)
    PrintFile.objects.update(state=PrintFile.State.RUNNING, attempts=PrintFile.MOST_ATTEMPTS)
    carry_out(file)
    file.refresh_from_db()
    assert file.state == PrintFile.State.FAILED


def test_print_files_go_when_deleted_or_expired_and_leave_nothing(
    signed_in: Client, piece: Piece
) -> None:
    reported, expired, kept = ordered(piece), ordered(piece), ordered(piece)
    paths = {}
    for one in (reported, expired, kept):
        carry_out(one)
        one.refresh_from_db()
        paths[one.pk] = Path(one.file.path)
    PrintFile.objects.filter(pk=expired.pk).update(created=timezone.now() - timedelta(days=8))
    signed_in.post(reverse("delete-print-file", args=[reported.pk]))
    prints.delete_expired()
    assert [one.pk for one in PrintFile.objects.all()] == [kept.pk]
    assert [pk for pk, path in paths.items() if path.exists()] == [kept.pk]


def test_a_file_that_is_being_written_says_how_long_and_stops_when_deleted(
    signed_in: Client, piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = ordered(piece)
    address = reverse("print-file-state", args=[file.pk])
    assert signed_in.get(address).json() == {"open": True, "progress": 0, "words": "Waiting"}
    began = timezone.now() - timedelta(seconds=30)
    working = PrintFile.State.RUNNING
    PrintFile.objects.filter(pk=file.pk).update(state=working, progress=0.25, started=began)
    assert signed_in.get(address).json()["words"] == "2 min left"
    reported: list[float] = []

    def export(*given: Any, on_progress: Any, **named: Any) -> str:
        on_progress(0.1)
        prints.delete(PrintFile.objects.get(pk=file.pk))
        for fraction in (0.2, 0.3):
            reported.append(fraction)
            on_progress(fraction)
        return ""

    monkeypatch.setattr(writing, "export", export)
    monkeypatch.setattr(writing, "PROGRESS_EVERY", 0)
    carry_out(file)
    assert reported == [0.2]
    assert not PrintFile.objects.exists()


def test_a_print_file_deleted_while_it_is_written_leaves_nothing(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = ordered(piece)
    really = writing.export

    def meanwhile(*given: Any, **named: Any) -> None:
        really(*given, **named)
        prints.delete(PrintFile.objects.get(pk=file.pk))

    monkeypatch.setattr(writing, "export", meanwhile)
    carry_out(file)
    assert not PrintFile.objects.exists()
    assert not default_storage.exists(f"prints/{file.pk}")


def test_what_a_file_will_be_is_shown_before_it_is_written(signed_in: Client, piece: Piece) -> None:
    address = reverse("print-file-cost", args=[piece.base.pk])
    given = file_fields(format="pdf", profile="coated", paper="matte", extent="whole")
    words = " ".join(signed_in.post(address, given).content.decode().split())
    assert "eye-base-112x88.pdf" in words
    assert "112 × 88 px" in words
    assert "On matte paper ink spreads an edge by 0.065 mm, 0.8 px at 300 ppi" in words
    assert "% of ink on one place" in words
    refused = signed_in.post(address, file_fields(format="png", profile="coated"))
    assert "PNG holds no CMYK" in refused.content.decode()
    unknown = signed_in.post(address, file_fields(pattern="{shop}"))
    assert "known are title" in unknown.content.decode()


def test_a_page_for_the_press_is_written_under_a_name_of_ones_own(
    signed_in: Client, piece: Piece
) -> None:
    for name in ("eye_coated.pdf", "eye_coated-2.pdf"):
        answer = written(
            signed_in, piece.base, format="pdf", profile="coated", pattern="{title} {profile}",
            marks=True,
        )  # fmt: skip
        assert answer.headers["Content-Type"] == "application/pdf"
        assert name in answer.headers["Content-Disposition"]
        assert b"".join(answer).startswith(b"%PDF-1.6")  # type: ignore[arg-type]


def test_a_profile_of_ones_own_is_offered_or_refused_with_the_reason(
    signed_in: Client, piece: Piece
) -> None:
    address = reverse("take-profile", args=[piece.base.pk])
    data = profile_of("coated").data
    good = SimpleUploadedFile("Kestrel Vale coated.icc", data)
    page = signed_in.post(address, {"profile_file": good}, follow=True).content.decode()
    assert '<option value="Kestrel_Vale_coated">' in page
    bad = SimpleUploadedFile("other.icc", b"nothing")
    page = signed_in.post(address, {"profile_file": bad}, follow=True).content.decode()
    assert "no colour profile that sRGB" in page
    assert '<option value="other">' not in page


def test_a_preview_copy_says_so_when_it_is_imported(signed_in: Client, piece: Piece) -> None:
    answer = written(signed_in, piece.base, format="webp", preview=True, longest=100)
    assert "-preview.webp" in answer.headers["Content-Disposition"]
    file = SimpleUploadedFile("copy.webp", b"".join(answer))  # type: ignore[arg-type]
    signed_in.post(reverse("import-pictures"), {"files": file})
    copy = Piece.objects.exclude(pk=piece.pk).get()
    assert "This is a preview copy" in signed_in.get(copy.get_absolute_url()).content.decode()
    assert "This is a preview copy" not in signed_in.get(piece.get_absolute_url()).content.decode()
