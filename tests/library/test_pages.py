"""Pages and forms, without a browser."""

import io
import json
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import HttpResponse
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.errors import Refusal
from enamel.core.geometry import Size
from enamel.core.printing.layout import PrintPlan
from enamel.core.printing.sizing import PrintTarget
from enamel.core.schedule import Coat, JoinPass, Order, Refine, Region, Schedule
from enamel.firings import services as firings
from enamel.firings.forms.coat import CoatForm
from enamel.firings.models import Firing
from enamel.firings.presenters.schedule import draft_of, start_of
from enamel.library import services as library
from enamel.library.models import Layer, Piece
from tests.pages import words_of
from tests.schedules import coat
from tests.workers import carry_out

START = Size(768, 1024)
pytestmark = pytest.mark.django_db


PRINT = PrintPlan(PrintTarget(228.6, 304.8))
PLAIN = Coat(factor=2.0, refine=Refine())


def filled(shown: Coat = PLAIN, start: Size = START, **changes: object) -> dict[str, object]:
    """What a browser would send for a coat, with some fields changed."""
    given = CoatForm.showing(shown, start, PRINT).data | changes
    return {
        name: value for name, value in given.items() if value is not None and value is not False
    }


def coat_form(**changes: object) -> CoatForm:
    return CoatForm(filled(**changes), start=START, print_plan=PRINT)


@pytest.mark.parametrize(
    ("changes", "size"),
    [
        ({"sizing": "factor", "factor": 1.25}, (960, 1280)),
        ({"sizing": "pixels", "width": 3000, "height": ""}, (3000, 4000)),
        ({"sizing": "pixels", "width": "", "height": 540}, (405, 540)),
        ({"sizing": "print"}, (2700, 3600)),
    ],
)
def test_the_size_wanted_becomes_exact_pixels(changes: dict[str, object], size: Size) -> None:
    form = coat_form(**changes)
    assert form.is_valid(), form.errors
    assert Schedule((form.coat(),)).sizes(START) == [size]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"strength": 1.5}, "strength"),
        ({"strength": "nan"}, "strength"),
        ({"steps": 0}, "steps"),
        ({"seed": -1}, "seed"),
        ({"seed": 2**63}, "seed"),
        ({"tile_width": 32}, "tile_width"),
        ({"overlap": 300}, "overlap"),
        ({"overlap": "60 %"}, "overlap"),
        ({"overlap": "some"}, "overlap"),
        ({"regions": "10% 10% 20%: brick"}, "regions"),
        ({"regions": "50% 50% 80% 20%: brick"}, "regions"),
        ({"factor": ""}, "factor"),
        ({"factor": 200}, "factor"),
        ({"sizing": "pixels", "width": "", "height": ""}, "width"),
        ({"upscaler": "best"}, "upscaler"),
        ({"model": "nobody"}, "model"),
    ],
)
def test_what_is_wrong_is_shown_beside_its_field(changes: dict[str, object], field: str) -> None:
    form = coat_form(**changes)
    assert not form.is_valid()
    assert list(form.errors) == [field]


def test_a_form_shows_a_coat_and_gives_the_same_coat_back() -> None:
    refine = Refine(
        strength=0.4, overlap_fraction=0.25, overlap=0, joins=JoinPass(0.2, 64), order=Order.CHECKERBOARD,
        prompt="brick, wool", regions=(Region((0.1, 0.25, 0.5, 0.5), "brass"),), extra_noise=0.03, blend=0.66,
        guide=0.5, anchor=0.7, anchor_radius=32, feather=0.5, contrast=1.1, chroma=0.9, guidance=1.4,
    )  # fmt: skip
    by_factor = Coat(factor=1.5, upscaler="bicubic", refine=refine)
    for given in (by_factor, Coat(size=(900, 1200), refine=refine)):
        form = CoatForm.showing(given, START, PRINT)
        assert form.is_valid(), form.errors
        assert form.coat() == given


def upload(name: str, content: bytes) -> SimpleUploadedFile:
    return SimpleUploadedFile(name, content)


def test_good_files_are_imported_and_bad_ones_refused_by_name(
    signed_in: Client, picture_file: Path
) -> None:
    good = picture_file.read_bytes()
    answer = signed_in.post(
        reverse("import-pictures"),
        {
            "files": [
                upload("eye.png", good),
                upload("cut.png", good[:900]),
                upload("a.txt", b"words"),
            ]
        },
        headers={"accept": "application/json"},
    )
    report = json.loads(answer.content)
    assert len(report["pieces"]) == 1
    assert [entry["name"] for entry in report["refused"]] == ["cut.png", "a.txt"]
    assert "broken" in report["refused"][0]["reason"]
    piece = Piece.objects.get()
    assert (piece.title, piece.base_name) == ("eye", "eye.png")
    (job,) = ProcrastinateJob.objects.filter(task_name__endswith=".prepare")
    assert job.queue_name == "maintenance"
    assert "prepared" in signed_in.get(piece.get_absolute_url()).content.decode()
    kept = signed_in.get(reverse("base-file", args=[piece.pk]))
    assert b"".join(kept) == good  # type: ignore[arg-type]


def test_without_script_refusals_are_shown_on_the_page(signed_in: Client) -> None:
    answer = signed_in.post(
        reverse("import-pictures"), {"files": upload("a.txt", b"words")}, follow=True
    )
    assert "a.txt: This is not a picture" in answer.content.decode()
    answer = signed_in.post(reverse("import-pictures"), {}, follow=True)
    assert "No file was chosen" in answer.content.decode()


def test_the_text_in_the_file_is_shown_and_escaped(signed_in: Client, artist: User) -> None:
    buffer = io.BytesIO()
    text = PIL.PngImagePlugin.PngInfo()
    text.add_text("note", "<script>alert(1)</script> warm light")
    PIL.Image.new("RGB", (64, 64)).save(buffer, "PNG", pnginfo=text)
    signed_in.post(reverse("import-pictures"), {"files": upload("noted.png", buffer.getvalue())})
    piece = Piece.objects.get()
    page = signed_in.get(piece.get_absolute_url() + "?task=base").content.decode()
    assert "warm light" in page
    assert "<script>alert" not in page


def change(client: Client, piece: Piece, name: str = "schedule", **changes: object) -> HttpResponse:
    """Send the coat form with some fields changed."""
    number = int(str(changes.get("coat", 0)))
    draft = draft_of(piece, str(number))
    start = start_of(draft, piece.base.size)
    given = filled(draft.coat, start, layer=str(piece.base.pk), coat=number) | changes
    answer = client.post(reverse(name, args=[piece.pk]), given)
    piece.refresh_from_db()
    return answer  # type: ignore[return-value]


def test_the_cost_follows_the_settings_and_keeps_them(signed_in: Client, piece: Piece) -> None:
    page = change(signed_in, piece, "schedule-cost").content.decode()
    assert "224 × 176 px" in page
    assert "19 × 15 mm" in page
    small = {"tile_width": 64, "tile_height": 64, "overlap": "25 %"}
    page = change(signed_in, piece, "schedule-cost", **small, fit="exact").content.decode()
    assert ">20</span> tiles" in page
    page = words_of(change(signed_in, piece, "schedule-cost", **small, fit="auto"))
    assert ">12</span> tiles" in page
    assert "12 tiles of 72 × 72 px" in page
    assert piece.schedule.coats[0].refine == Refine(tile=(64, 64), overlap=0, overlap_fraction=0.25)
    page = change(signed_in, piece, "schedule-cost", overlap=400).content.decode()
    assert "at most half the shorter side" in page
    page = change(signed_in, piece, "schedule-cost", prompt="brick wall").content.decode()
    assert ">brick</span>" in page
    assert "not in this refiner's vocabulary" in page.replace("&#x27;", "'")


def test_coats_are_added_moved_switched_and_removed(signed_in: Client, piece: Piece) -> None:
    change(signed_in, piece, do="add", strength=0.35)
    change(signed_in, piece, do="copy", coat=1, strength=0.2)
    assert [c.refine.strength for c in piece.schedule.coats if c.refine] == [0.35, 0.2, 0.2]
    change(signed_in, piece, do="earlier", coat=1)
    assert [c.refine.strength for c in piece.schedule.coats if c.refine] == [0.2, 0.35, 0.2]
    change(signed_in, piece, do="switch", coat=2)
    assert [entry.on for entry in piece.schedule.coats] == [True, True, False]
    page = words_of(signed_in.get(piece.get_absolute_url()))
    assert page.count("strength 0.") == 2
    change(signed_in, piece, do="remove", coat=0)
    change(signed_in, piece, do="remove", coat=1)
    assert len(piece.schedule.coats) == 1
    answer = change(signed_in, piece, do="remove")
    assert answer.status_code == 422
    assert "This is the only coat" in answer.content.decode()


def test_firing_through_the_form_freezes_its_settings(signed_in: Client, piece: Piece) -> None:
    assert change(signed_in, piece, do="fire", seed=31).status_code == 302
    firing = Firing.objects.get()
    assert firing.frozen["coats"][0]["refine"]["seed"] == 31
    page = words_of(signed_in.get(piece.get_absolute_url()))
    assert "Waiting for the kiln" in page
    assert "Stop for good" in page
    signed_in.post(reverse("stop-firing", args=[firing.pk]))
    page = signed_in.get(piece.get_absolute_url()).content.decode()
    assert "Resume" in page
    signed_in.post(reverse("dismiss-firing", args=[firing.pk]))
    page = signed_in.get(piece.get_absolute_url()).content.decode()
    assert "Fire this coat" in page
    assert 'value="31"' in page


def test_stopped_for_good_is_out_of_sight(signed_in: Client, piece: Piece) -> None:
    change(signed_in, piece, do="fire")
    firing = Firing.objects.get()
    signed_in.post(reverse("stop-firing", args=[firing.pk]), {"for-good": ""})
    carry_out(firing)
    assert "Resume" not in signed_in.get(piece.get_absolute_url()).content.decode()


def test_the_whole_one_coat_or_from_here_on(signed_in: Client, piece: Piece) -> None:
    piece.keep_schedule(Schedule((*coat(steps=1).coats, *coat(1.5, steps=1).coats)))

    def fired(do: str, number: int, layer: Layer) -> Firing:
        change(signed_in, piece, do=do, coat=number, layer=str(layer.pk))
        firing = Firing.objects.order_by("-created")[0]
        carry_out(firing)
        firing.refresh_from_db()
        assert firing.state == Firing.State.DONE, firing.error
        return firing

    complete = fired("fire", 0, piece.base)
    assert complete.result is not None
    assert complete.result.size == (336, 264)
    first = complete.result.parent
    assert first is not None
    page = signed_in.get(piece.get_absolute_url()).content.decode()
    assert "nothing: every coat is laid already" in page
    again = fired("fire-onward", 1, first)
    assert again.result == complete.result
    assert again.actual["model_seconds"] == 0
    alone = fired("fire-alone", 1, piece.base)
    assert alone.result is not None
    assert alone.result.size == (168, 132)


def test_a_run_of_seeds_makes_a_layer_for_each(signed_in: Client, piece: Piece) -> None:
    piece.keep_schedule(coat(steps=1))
    change(signed_in, piece, do="fire-seeds", seed=40, run_of=3)
    page = words_of(signed_in.get(piece.get_absolute_url()))
    assert "2 more firings of this piece wait." in page
    for firing in Firing.objects.all():
        carry_out(firing)
    seeds = Layer.objects.filter(kind="coat").values_list("seed", flat=True)
    assert sorted(seed for seed in seeds if seed is not None) == [40, 41, 42]
    page = signed_in.get(piece.get_absolute_url()).content.decode()
    assert 'aria-label="The seed fired last, 42">Last' in page


def test_a_refused_form_comes_back_filled_in(signed_in: Client, piece: Piece) -> None:
    answer = change(signed_in, piece, do="fire", strength=7, steps=13)
    assert answer.status_code == 422
    page = answer.content.decode()
    assert 'value="13"' in page
    assert 'aria-invalid="true"' in page
    assert Firing.objects.count() == 0


def test_the_news_of_a_firing(signed_in: Client, piece: Piece) -> None:
    firing = firings.enqueue_schedule(piece.base, coat())

    def stop_after_two() -> bool:
        firing.refresh_from_db()
        return firing.done >= 2

    carry_out(firing, stop_after_two)
    address = reverse("firing-state", args=[firing.pk])
    news = signed_in.get(address).json()
    assert (news["state"], news["total"], news["shown"]) == ("waiting", 9, None)
    assert news["done"] >= 2
    assert len(news["tiles"]) == news["done"]
    tile = signed_in.get(news["tiles"][0]["url"])
    with PIL.Image.open(io.BytesIO(tile.content)) as image:
        assert image.size == (96, 96)
        assert np.asarray(image).std() > 5
    assert signed_in.get(address, {"after": news["done"]}).json()["tiles"] == []
    carry_out(firing)
    news = signed_in.get(address).json()
    assert news["state"] == "done"
    assert str(Layer.objects.get(kind="coat").pk) in news["shown"]


def test_a_layer_of_another_piece_is_not_picked_up(signed_in: Client, piece: Piece) -> None:
    page = signed_in.get(piece.get_absolute_url() + "?layer=nonsense&against=&task=unknown")
    assert page.status_code == 200
    assert page.context["layer"] == piece.base


def test_a_picture_is_decoded_in_the_sandbox_alone(
    signed_in: Client, picture_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[Path] = []

    def refuse(path: Path, into: Path, on_progress: object) -> None:
        asked.append(path)
        raise Refusal("The sandbox says no.")

    monkeypatch.setattr(library, "read_in_sandbox", refuse)
    sent = {"files": [upload("eye.png", picture_file.read_bytes())]}
    answer = signed_in.post(
        reverse("import-pictures"), sent, headers={"accept": "application/json"}
    )
    assert len(asked) == 1
    assert "The sandbox says no." in answer.content.decode()
    assert not Piece.objects.exists()
