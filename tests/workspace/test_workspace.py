"""Working on a piece: undo, schedule presets, facts, copies, sheets, deleting."""

import io
import json
import threading
from datetime import timedelta
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from enamel.accounts.models import Preferences
from enamel.accounts.shortcuts import SHORTCUTS, checked
from enamel.core.export.naming import safe
from enamel.core.geometry import Box
from enamel.core.schedule import Coat, Refine, Schedule, differences
from enamel.firings import services as firings
from enamel.firings.models import Firing, SchedulePreset
from enamel.firings.presenters.schedule import changed_since_fired, draft_of
from enamel.library import services as library
from enamel.library.models import Piece, ScheduleStep
from enamel.swatches import services as swatches
from tests.pictures import STATIONMASTER, contact_sheet
from tests.schedules import coat
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
ROOT = Path(__file__).parents[2]


def strength(value: float, **more: object) -> Schedule:
    return Schedule((Coat(factor=2.0, refine=Refine(strength=value, **more)),))  # type: ignore[arg-type]


def current(piece: Piece) -> float:
    piece.refresh_from_db()
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    return refine.strength


def test_every_change_is_undone_and_redone(signed_in: Client, piece: Piece) -> None:
    began = current(piece)
    for value in (0.1, 0.2, 0.4):
        piece.keep_schedule(strength(value))
        ScheduleStep.objects.update(created=timezone.now() - timedelta(minutes=1))
    address = reverse("schedule", args=[piece.pk])
    seen = []
    for _ in range(4):
        signed_in.post(address, {"do": "undo"})
        seen.append(current(piece))
    assert seen == [0.2, 0.1, began, began]
    signed_in.post(address, {"do": "redo"})
    assert current(piece) == 0.1
    piece.keep_schedule(strength(0.9))
    assert piece.undoable == (True, False)
    assert not piece.redo()
    assert piece.undo()
    assert current(piece) == 0.1


def test_a_number_being_typed_is_one_change(piece: Piece) -> None:
    began = current(piece)
    for value in (0.3, 0.35, 0.355):
        piece.keep_schedule(strength(value))
    assert piece.undo()
    assert current(piece) == began
    piece.redo()
    piece.keep_schedule(strength(0.355, seed=4))
    assert piece.undo()
    assert current(piece) == 0.355


def test_keeping_the_same_again_is_no_change(piece: Piece) -> None:
    piece.keep_schedule(strength(0.2))
    steps = piece.steps.count()
    piece.keep_schedule(strength(0.2))
    assert piece.steps.count() == steps


def test_differences_name_their_path() -> None:
    one, other = strength(0.2).to_json(), strength(0.3, prompt="brick").to_json()
    assert differences(one, other) == [
        ("coats.0.refine.strength", 0.2, 0.3),
        ("coats.0.refine.prompt", "", "brick"),
    ]
    assert differences(one, one) == []
    longer = {"coats": [*one["coats"], {"on": True}]}
    assert differences(one, longer) == [("coats.1.on", None, True)]


def test_what_differs_from_the_last_firing_is_marked(signed_in: Client, piece: Piece) -> None:
    piece.keep_schedule(coat(steps=1))
    firings.enqueue_schedule(piece.base, piece.schedule)
    carry_out(Firing.objects.get())
    assert changed_since_fired(piece, draft_of(piece, "0")) == {}
    fired = piece.schedule.coats[0].refine
    assert fired is not None
    piece.keep_schedule(coat(steps=3))
    assert changed_since_fired(piece, draft_of(piece, "0")) == {"steps": "1"}
    page = signed_in.get(piece.get_absolute_url() + "?task=coat").content.decode()
    assert "steps&quot;: &quot;1&quot;" in page


def test_a_schedule_preset_goes_all_the_way_round(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    piece.keep_schedule(strength(0.27, prompt="wool"))
    signed_in.post(reverse("save-preset", args=[piece.pk]), {"name": "posters"})
    preset = SchedulePreset.objects.get(owner=artist)
    file = signed_in.get(reverse("export-preset", args=[preset.pk]))
    assert 'filename="posters.schedule.json"' in file.headers["Content-Disposition"]
    content = file.content
    signed_in.post(reverse("apply-preset", args=[piece.pk]), {"schedule": preset.pk, "delete": ""})
    assert not SchedulePreset.objects.exists()
    upload = SimpleUploadedFile("posters.schedule.json", content)
    signed_in.post(reverse("import-preset", args=[piece.pk]), {"file": upload})
    piece.keep_schedule(strength(0.5))
    again = SchedulePreset.objects.get(owner=artist, name="posters")
    signed_in.post(reverse("apply-preset", args=[piece.pk]), {"schedule": again.pk})
    piece.refresh_from_db()
    assert piece.schedule == strength(0.27, prompt="wool")
    assert Schedule.from_json(json.loads(content)) == piece.schedule


@pytest.mark.parametrize(
    ("title", "name"),
    [
        ("Night mail", "Night_mail"),
        ("???", "picture"),
        ("..", "picture"),
        ("夜行郵便" * 40, "夜行郵便" * 6 + "夜行"),
        ("a/b\\c:d", "abcd"),
    ],
)
def test_any_title_makes_a_name_for_a_file(title: str, name: str) -> None:
    assert safe(title, "picture") == name


def test_a_schedule_preset_of_any_name_is_exported(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    for name in ("夜行", "???", 'say "yes"'):
        preset = SchedulePreset.objects.create(owner=artist, name=name, schedule=coat().to_json())
        answer = signed_in.get(reverse("export-preset", args=[preset.pk]))
        assert answer.status_code == 200
        assert answer.headers["Content-Disposition"].startswith("attachment; filename")


def test_the_demo_brings_schedule_presets_that_say_when() -> None:
    kept = json.loads((ROOT / "demo" / "presets.json").read_text())
    assert len(kept) == 6
    for entry in kept:
        assert 20 < len(entry["summary"]) <= 200
        assert 1 <= len(Schedule.from_json(entry["schedule"]).laid) <= 3


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"not json", "This is no JSON"),
        (b'{"coats": [{"factor": 99}]}', "factor"),
        (b"[" * 9000, "more than 40 levels"),
    ],
    ids=["words", "range", "depth"],
)
def test_a_bad_schedule_file_is_refused_with_the_reason(
    signed_in: Client, piece: Piece, content: bytes, words: str
) -> None:
    upload = SimpleUploadedFile("bad.json", content)
    report = signed_in.post(
        reverse("import-preset", args=[piece.pk]), {"file": upload}, follow=True
    )
    assert words in report.content.decode()
    assert not SchedulePreset.objects.exists()


def test_anothers_schedule_preset_is_not_there(
    signed_in: Client, piece: Piece, stranger: User
) -> None:
    theirs = SchedulePreset.objects.create(owner=stranger, name="x", schedule=coat().to_json())
    answer = signed_in.post(reverse("apply-preset", args=[piece.pk]), {"schedule": theirs.pk})
    assert answer.status_code == 404


def test_facts_are_edited_and_begin_the_schedule_again(signed_in: Client, piece: Piece) -> None:
    piece.keep_schedule(strength(0.5))
    facts = {
        "title": "Eye", "tags": "Face, eye, face", "notes": "for the poster", "subject": "painted",
        "prompt": "stone", "seed": "12", "negative_prompt": "", "model": "", "size": "",
    }  # fmt: skip
    signed_in.post(reverse("begin-again", args=[piece.pk]), facts)
    piece.refresh_from_db()
    assert (piece.title, piece.tags, piece.notes) == ("Eye", ["face", "eye"], "for the poster")
    assert not piece.made_by_model
    refine = piece.schedule.coats[0].refine
    assert refine is not None
    assert (refine.prompt, refine.seed, refine.strength) == ("stone", 12, 0.3)
    assert piece.undo()


def portrait_file(
    name: str, size: tuple[int, int], quality: int | None = None
) -> SimpleUploadedFile:
    with PIL.Image.open(STATIONMASTER) as image:
        small = image.convert("RGB").resize(size)
    buffer = io.BytesIO()
    small.save(buffer, "JPEG" if quality else "PNG", **({"quality": quality} if quality else {}))
    return SimpleUploadedFile(name, buffer.getvalue())


def upload_report(client: Client, file: SimpleUploadedFile) -> dict[str, str]:
    answer = client.post(
        reverse("import-pictures"), {"files": file}, headers={"accept": "application/json"}
    )
    (piece,) = json.loads(answer.content)["pieces"]
    found: dict[str, str] = piece
    return found


def test_a_smaller_copy_says_so_and_leads_to_the_larger_one(
    signed_in: Client, stranger: User
) -> None:
    assert upload_report(signed_in, portrait_file("master.png", (768, 1024)))["note"] == ""
    report = upload_report(signed_in, portrait_file("preview.jpg", (384, 512), 70))
    assert "A smaller copy of “master” (768 × 1024 px)" in report["note"]
    piece = Piece.objects.get(title="preview")
    page = signed_in.get(piece.get_absolute_url()).content.decode()
    assert "Open that one" in page
    signed_in.post(reverse("no-sheet", args=[piece.pk]))
    assert "Open that one" not in signed_in.get(piece.get_absolute_url()).content.decode()
    larger = upload_report(signed_in, portrait_file("larger.png", (960, 1280)))
    assert larger["note"] == ""
    signed_in.force_login(stranger)
    assert upload_report(signed_in, portrait_file("mine.png", (384, 512)))["note"] == ""


def sheet_file() -> SimpleUploadedFile:
    buffer = io.BytesIO()
    contact_sheet().save(buffer, "PNG")
    return SimpleUploadedFile("candidates.png", buffer.getvalue())


def test_a_contact_sheet_is_recognised_and_split(signed_in: Client) -> None:
    report = upload_report(signed_in, sheet_file())
    assert "contact sheet of 4 candidates" in report["note"]
    piece = Piece.objects.get()
    page = signed_in.get(reverse("split", args=[piece.pk])).content.decode()
    assert "0–200 208–408" in page
    picture = signed_in.get(reverse("split-picture", args=[piece.pk]))
    assert PIL.Image.open(io.BytesIO(picture.content)).size == (408, 328)
    wrong = {"columns": "0–200 208–900", "rows": "0–160"}
    answer = signed_in.post(reverse("split", args=[piece.pk]), wrong)
    assert answer.status_code == 422
    assert "inside the picture" in answer.content.decode()
    assert Piece.objects.count() == 1
    cuts = {"columns": "0–200 208–408", "rows": "0–160 168–328"}
    signed_in.post(reverse("split", args=[piece.pk]), cuts)
    parts = Piece.objects.exclude(pk=piece.pk).order_by("title")
    assert [part.title for part in parts] == [f"candidates {number}" for number in (1, 2, 3, 4)]
    assert {tuple(part.base.size) for part in parts} == {(200, 160)}
    with PIL.Image.open(STATIONMASTER) as image:
        wanted = np.asarray(image.convert("RGB").crop((200, 160, 400, 320)))
    with parts[1].base_file.open("rb") as file:
        assert (np.asarray(PIL.Image.open(file)) == wanted).all()


def test_pieces_are_marked_found_and_sorted(signed_in: Client, piece: Piece, artist: User) -> None:
    others = [library.duplicate(piece) for _ in range(3)]
    for number, other in enumerate(others):
        other.title, other.tags = f"Lamp {number}", ["night"]
        other.save()
    mark = reverse("mark", args=[others[1].pk])
    answer = signed_in.post(mark, {"mark": "keep"}, headers={"accept": "application/json"})
    assert answer.json() == {"mark": "keep"}

    def titles(**asked: str) -> list[str]:
        page = signed_in.get(reverse("pieces"), asked)
        return [found.title for found in page.context["page"]]

    assert titles(q="lamp 2") == ["Lamp 2"]
    assert set(titles(tag="night")) == {"Lamp 0", "Lamp 1", "Lamp 2"}
    assert titles(mark="keep") == ["Lamp 1"]
    assert titles(sort="mark")[0] == "Lamp 1"
    assert titles(sort="title") == ["Lamp 0", "Lamp 1", "Lamp 2", "eye"]
    assert titles(q="nothing like it") == []
    signed_in.post(mark, {"mark": "keep"}, headers={"accept": "application/json"})
    assert titles(mark="keep") == []


def test_500_pieces_take_few_queries(
    signed_in: Client, piece: Piece, artist: User, django_assert_max_num_queries: object
) -> None:
    Piece.objects.bulk_create(
        Piece(owner=artist, title=f"Piece {number}", base_name="a.png") for number in range(500)
    )
    base = piece.layers.defer(None).get()  # whole, to be copied
    for other in Piece.objects.exclude(pk=piece.pk)[:60]:
        base.pk, base.piece, base._state.adding = None, other, True
        base.id = type(base)._meta.get_field("id").get_default()
        base.save(force_insert=True)
    Piece.objects.filter(layers=None).delete()
    with django_assert_max_num_queries(14):  # type: ignore[operator]
        page = signed_in.get(reverse("pieces"))
    assert len(page.context["page"]) == 60


def test_deleted_pieces_can_be_restored_for_30_days(
    signed_in: Client, piece: Piece, artist: User
) -> None:
    signed_in.post(reverse("delete-pieces"), {"piece": str(piece.pk)})
    assert signed_in.get(piece.get_absolute_url()).status_code == 404
    assert piece.title in signed_in.get(reverse("recently-deleted")).content.decode()
    signed_in.post(reverse("restore-piece", args=[piece.pk]))
    assert signed_in.get(piece.get_absolute_url()).status_code == 200
    piece.refresh_from_db()
    files = [
        Path(piece.base_file.path),
        Path(piece.base.pixels.path),
        Path(piece.base.pyramid.path),
    ]
    firings.enqueue_schedule(piece.base, coat(steps=1))
    carry_out(Firing.objects.get())
    sheet = swatches.submit_sheet(piece, coat(steps=1), 0, Box(0, 0, 64, 64), [])
    swatch = sheet.swatches.get()
    carry_out(swatch)
    swatch.refresh_from_db()
    files.append(Path(swatch.pixels.path))
    Piece.objects.update(deleted_at=timezone.now() - timedelta(days=29))
    assert library.delete_for_good() == 0
    Piece.objects.update(deleted_at=timezone.now() - timedelta(days=31))
    assert signed_in.post(reverse("restore-piece", args=[piece.pk])).status_code == 404
    assert all(file.exists() for file in files)
    assert library.delete_for_good() == 1
    assert not Piece.objects.exists()
    assert not any(file.exists() for file in files)


def test_ids_that_are_none_are_not_found(signed_in: Client, piece: Piece) -> None:
    assert signed_in.post(reverse("delete-pieces"), {"piece": "all"}).status_code == 404
    assert signed_in.post(reverse("print", args=[piece.pk]), {}).status_code == 404
    piece.refresh_from_db()
    assert piece.deleted_at is None


def test_all_that_are_marked_drop_go_at_once(signed_in: Client, piece: Piece) -> None:
    twin = library.duplicate(piece)
    Piece.objects.filter(pk=twin.pk).update(mark="drop")
    signed_in.post(reverse("delete-pieces"))
    assert list(Piece.objects.filter(deleted_at=None)) == [piece]


def test_a_duplicate_has_the_base_and_settings_and_lives_alone(
    signed_in: Client, piece: Piece
) -> None:
    piece.keep_schedule(strength(0.44))
    signed_in.post(reverse("duplicate", args=[piece.pk]))
    twin = Piece.objects.exclude(pk=piece.pk).get()
    assert twin.schedule == piece.schedule
    assert twin.base.sha256 == piece.base.sha256
    assert twin.base.pixels.name != piece.base.pixels.name
    Piece.objects.filter(pk=piece.pk).update(deleted_at=timezone.now() - timedelta(days=31))
    library.delete_for_good()
    assert Path(twin.base.pixels.path).exists()
    assert Path(twin.base_file.path).exists()


def test_keys_are_changed_and_never_clash(signed_in: Client, artist: User) -> None:
    address = reverse("preferences")
    usual = {shortcut.action: shortcut.key for shortcut in SHORTCUTS}
    assert checked(usual) == {}
    answer = signed_in.post(address, usual | {"undo": "t", "unit": "in"})
    assert answer.status_code == 422
    assert "is taken by" in answer.content.decode()
    assert not Preferences.objects.exists()
    signed_in.post(address, usual | {"undo": "k", "unit": "in"})
    kept = Preferences.of(artist)
    assert (kept.keys, kept.unit) == ({"undo": "k"}, "in")
    assert "&quot;undo&quot;: &quot;k&quot;" in signed_in.get(reverse("pieces")).content.decode()
    signed_in.post(address, usual | {"usual": "", "unit": "cm"})
    assert Preferences.of(artist).keys == {}
    answer = signed_in.post(address, usual | {"fit": "ab"})
    assert "one letter or sign" in answer.content.decode()


@pytest.mark.django_db(transaction=True)
def test_two_undos_at_once_go_two_steps_back(piece: Piece) -> None:
    for factor in (2.0, 3.0, 4.0):
        piece.keep_schedule(Schedule((Coat(factor=factor),)))
        piece.steps.update(created=timezone.now() - timedelta(minutes=1))
    steps = piece.step
    ready = threading.Barrier(2)

    def undo() -> None:
        mine = Piece.objects.get(pk=piece.pk)
        ready.wait()
        assert mine.undo()
        connection.close()

    threads = [threading.Thread(target=undo) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    piece.refresh_from_db()
    assert piece.step == steps - 2
