"""From paper to coats: exact pixels, sentences, plans, and files that carry what they are."""

import io
import json

import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from enamel.core.base.made import made
from enamel.core.base.metadata import carried_text
from enamel.core.base.xmp import AI_EDITED, AI_ENHANCED, AI_MADE, properties
from enamel.core.print.layout import Fit
from enamel.core.print.sizing import Bleed
from enamel.core.schedule import Refine
from enamel.kiln.models import Layer, Piece
from enamel.kiln.store import source_type
from enamel.studio.models import Preferences
from enamel.studio.scale import HEIGHT, WIDTH, drawn_scale
from tests.studio.pages import consequences, print_fields

pytestmark = pytest.mark.django_db


def test_a_paper_with_bleed_becomes_exact_pixels(signed_in: Client, piece: Piece) -> None:
    said = consequences(signed_in, piece, width="50 mm", height="4 cm", bleed="3", fit="fill")
    assert "661 × 543 px" in said
    assert "Needs 6.17× to print 50 × 40 mm at 300 ppi." in said
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
def test_what_is_wrong_is_said_and_the_print_kept_as_it_was(
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
    said = consequences(signed_in, piece, sizing="pixels", px_width=445, px_height=350)
    assert "it is exactly 4× the base (448 × 352 px)" in said


def test_a_plan_is_proposed_edited_and_used(signed_in: Client, piece: Piece) -> None:
    wanted = {"sizing": "pixels", "px_width": 900, "px_height": 707}
    said = consequences(signed_in, piece, **wanted)
    assert said.count("of the work") == 3
    assert "exact fit by plain resampling" in said
    edits = {"strength-0": "0.5", "strength-1": "0", "upscaler-2": "bicubic"}
    said = consequences(signed_in, piece, **wanted, **edits)
    assert said.count("of the work") == 2
    assert "enlarged and not refined" in said
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
    page = signed_in.get(piece.get_absolute_url() + "?task=coat").content.decode()
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


def file_of(client: Client, layer: Layer, **asked: object) -> tuple[PIL.Image.Image, str]:
    answer = client.get(
        reverse("print-file", args=[layer.pk]), {"bits": 8, "ppi": 300, "format": "png"} | asked
    )
    assert answer.status_code == 200
    content = b"".join(answer)  # type: ignore[arg-type]
    with PIL.Image.open(io.BytesIO(content)) as image:
        image.load()
        return image, carried_text(image).get("XMP", "")


def test_the_file_lies_on_its_print(signed_in: Client, piece: Piece) -> None:
    consequences(signed_in, piece, width="20 mm", height="20 mm", fit="fill", centre_x=0)
    image, _ = file_of(signed_in, piece.base, lies="print")
    assert image.size == (88, 88)
    assert image.info["dpi"][0] == pytest.approx(88 / 20 * 25.4, abs=0.2)
    consequences(signed_in, piece, width="20 mm", height="20 mm", fit="extend", bleed="2 mm")
    image, _ = file_of(signed_in, piece.base, lies="print")
    assert image.size == (134, 134)
    image, _ = file_of(signed_in, piece.base, lies="whole")
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
    signed_in.post(reverse("bring-in"), {"files": buffer})
    piece = Piece.objects.get()
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    assert (refine.prompt, refine.seed) == ("a brick arch", 77)
    page = signed_in.get(piece.get_absolute_url() + "?task=base").content.decode()
    assert "kiln-3" in page
