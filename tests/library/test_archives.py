"""A piece moves to another installation as a file: all of it arrives, or nothing."""

import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image
import pytest
from asgiref.sync import async_to_sync
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files import File
from django.core.management import CommandError, call_command
from django.test import Client
from django.urls import reverse

from enamel.core.errors import Refusal
from enamel.core.finishing.recipe import Finish, Grain
from enamel.core.masks import Mask
from enamel.core.masks.steps import Ellipse
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.core.schedule import Schedule
from enamel.firings import services as firings
from enamel.library import layers as store
from enamel.library import masks
from enamel.library.archives.contents import FACTS
from enamel.library.archives.reading import import_archive
from enamel.library.archives.writing import archive_of
from enamel.library.models import LaidFile, Layer, Piece
from enamel.touchups import inlays
from enamel.uploads.models import Upload
from tests.firings.test_firings import carried_out
from tests.layers import enlarged, layer_of
from tests.pictures import whole
from tests.schedules import coat, quick
from tests.scripts import Ask
from tests.workers import carry_out

EYE = Mask((60, 40), (Ellipse(30, 20, 12, 9),))


@pytest.fixture
def layers(piece: Piece) -> list[Layer]:
    """A coat, a touch-up of it, and a finish of that."""
    piece.keep_schedule(coat())
    laid = result_of(firings.enqueue_schedule(piece.base, coat()))
    settings = TouchUp((Patch(EYE, strength=0.4, seed=3, working=128),), refine=quick())
    mended = result_of(firings.enqueue_touch_up(laid, settings))
    finished = result_of(firings.enqueue_finish(mended, Finish(grain=Grain(on=True))))
    return [laid, mended, finished]


def result_of(firing: Any) -> Layer:
    result = carried_out(firing).result
    assert result is not None
    return result


def pixels_of(field: Any) -> np.ndarray:
    with store.canvas_in(field) as canvas:
        return whole(canvas)


def exported(piece: Piece, folder: Path) -> Path:
    path = folder / "piece.ora"
    path.write_bytes(b"".join(archive_of(piece)))
    return path


def changed(path: Path, change: Callable[[dict[str, bytes]], None]) -> Path:
    """Change an archive's files, by name."""
    with zipfile.ZipFile(path) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    change(files)
    with zipfile.ZipFile(path, "w") as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return path


def with_facts(path: Path, **facts: Any) -> Path:
    """Change what an archive says of its piece."""

    def change(files: dict[str, bytes]) -> None:
        files[FACTS] = json.dumps(json.loads(files[FACTS]) | facts).encode()

    return changed(path, change)


def test_all_of_a_piece_arrives(
    piece: Piece, layers: list[Layer], stranger: User, tmp_path: Path
) -> None:
    piece.title, piece.notes, piece.tags, piece.mark = "Eye", "Dusk", ["night"], Piece.Mark.KEEP
    piece.save()
    masks.keep(piece, "Iris", EYE)
    with PIL.Image.open(piece.base_file) as image:
        image.resize((224, 176)).save(tmp_path / "laid.png")
    with (tmp_path / "laid.png").open("rb") as file:
        inlays.take_file(layers[0], File(file), "laid.png")
    made = import_archive(stranger.pk, exported(piece, tmp_path))
    assert made.owner == stranger
    for name in ("title", "notes", "tags", "mark", "subject", "made", "base_name", "schedule_kept"):
        assert getattr(made, name) == getattr(piece, name), name
    with made.base_file.open("rb") as base, piece.base_file.open("rb") as original_base:
        assert base.read() == original_base.read()
    arrived = list(made.layers.order_by("created"))
    assert [layer.content_key for layer in arrived] == [
        layer.content_key for layer in (piece.base, *layers)
    ]
    for layer, original in zip(arrived, (piece.base, *layers), strict=True):
        assert (pixels_of(layer.pixels) == pixels_of(original.pixels)).all()
        assert layer.pk != original.pk
        for name in (
            "kind",
            "recipe",
            "sha256",
            "model",
            "model_sha256",
            "seed",
            "seconds",
            "size",
        ):
            assert getattr(layer, name) == getattr(original, name), name
    assert [layer.parent for layer in arrived] == [None, *arrived[:-1]]
    assert made.masks.get().as_mask() == EYE
    laid, original_laid = made.laid_files.get(), piece.laid_files.get()
    assert laid.pixels.name != original_laid.pixels.name
    assert (pixels_of(laid.pixels) == pixels_of(original_laid.pixels)).all()
    assert firings.already_laid(made.base, made.schedule) == arrived[1:2], "it is not fired again"


def test_layers_with_the_same_pixels_all_arrive(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    samples = enlarged(pixels_of(piece.base.pixels))
    for _ in range(3):
        layer_of(piece, samples, tmp_path)
    made = import_archive(stranger.pk, exported(piece, tmp_path))
    arrived = list(made.layers.exclude(kind=Layer.Kind.BASE))
    assert len({layer.pixels.name for layer in arrived}) == 3
    for layer in arrived:
        assert (pixels_of(layer.pixels) == samples).all()


def test_other_programs_open_it_as_openraster(
    piece: Piece, layers: list[Layer], tmp_path: Path
) -> None:
    with zipfile.ZipFile(exported(piece, tmp_path)) as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert archive.read("mimetype") == b"image/openraster"
        assert archive.read("stack.xml").count(b'visibility="visible"') == 1
        with PIL.Image.open(io.BytesIO(archive.read("mergedimage.png"))) as merged:
            assert merged.size == tuple(layers[-1].size)
        names = archive.namelist()
    assert len(names) == len(set(names))


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"version": 2}, "newer Enamel"),
        ({"format": "sketch"}, "can't be imported: format"),
        ({"title": "x" * 201}, "can't be imported: title"),
        ({"schedule": {"coats": [{"factor": 900}]}}, "factor"),
        ({"masks": {"Iris": {"steps": [{"kind": "knot"}]}}}, "knot"),
        ({"base_key": "0" * 64}, "read differently here"),
        ({"subject": "dream"}, "subject"),
        ({"faces": [[1, 2]]}, "faces"),
        ({"notes": "dusk\0"}, "can't be stored"),
        ({"made": {"prompt": "\ud800"}}, "can't be stored"),
    ],
)
def test_a_description_that_does_not_fit_is_refused_in_words(
    piece: Piece, stranger: User, tmp_path: Path, facts: dict[str, Any], words: str
) -> None:
    path = with_facts(exported(piece, tmp_path), **facts)
    with pytest.raises(Refusal, match=words):
        import_archive(stranger.pk, path)
    assert_nothing_left(stranger)


def test_layers_in_another_order_or_with_another_recipe_are_refused(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)
    path = exported(piece, tmp_path)
    with zipfile.ZipFile(path) as archive:
        (stored,) = json.loads(archive.read(FACTS))["layers"]
    for change, words in (
        ({"parent": "0" * 64}, "order"),
        ({"kind": "base"}, "more than one base"),
        ({"recipe": {}}, "recipe"),
        ({"recipe": {"coat": {"factor": -1}}}, "factor"),
        ({"recipe": {**stored["recipe"], "places": [[2, 0, 1, 1]]}}, "places"),
        ({"width": 10**9}, "width"),
    ):
        with pytest.raises(Refusal, match=words):
            import_archive(stranger.pk, with_facts(path, layers=[stored | change]))
    assert_nothing_left(stranger)


def test_pixels_that_were_altered_are_refused(piece: Piece, stranger: User, tmp_path: Path) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)
    other = layer_of(piece, enlarged(pixels_of(piece.base.pixels)) // 2, tmp_path)
    path = exported(piece, tmp_path)

    def swap(files: dict[str, bytes]) -> None:
        files[f"data/{layer.sha256}.png"] = files[f"data/{other.sha256}.png"]

    with pytest.raises(Refusal, match="altered"):
        import_archive(stranger.pk, changed(path, swap))
    assert_nothing_left(stranger)


def test_an_archive_cut_short_or_without_a_part_is_refused(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)
    path = exported(piece, tmp_path)
    whole_file = path.read_bytes()
    path.write_bytes(whole_file[: len(whole_file) // 2])
    with pytest.raises(Refusal, match="damaged"):
        import_archive(stranger.pk, path)
    path.write_bytes(whole_file)
    with pytest.raises(Refusal, match="damaged"):
        import_archive(
            stranger.pk, changed(path, lambda files: files.pop(f"data/{layer.sha256}.png") and None)
        )
    assert_nothing_left(stranger)


def test_a_picture_larger_than_it_says_is_not_unpacked(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)

    def blow_up(files: dict[str, bytes]) -> None:
        files[f"data/{layer.sha256}.png"] = bytes(8 * layer.width * layer.height + 2**21)

    with pytest.raises(Refusal, match="larger than its picture"):
        import_archive(stranger.pk, changed(exported(piece, tmp_path), blow_up))
    assert_nothing_left(stranger)


def test_an_archive_with_too_many_files_is_not_opened(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    path = exported(piece, tmp_path)
    with zipfile.ZipFile(path, "a") as archive:
        for number in range(20_000):
            archive.writestr(f"{number:060}", b"")
    with pytest.raises(Refusal, match="too many files"):
        import_archive(stranger.pk, path)


def test_administrators_move_pieces_of_any_size_by_command(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    path = tmp_path / "eye.ora"
    call_command("export_piece", str(piece.pk), str(path))
    call_command("import_piece", str(path), owner="stranger")
    assert Piece.objects.get(owner=stranger).base.sha256 == piece.base.sha256
    with pytest.raises(CommandError, match="no account"):
        call_command("import_piece", str(path), owner="nobody")
    path.write_bytes(b"not an archive")
    with pytest.raises(CommandError, match="not a piece's archive"):
        call_command("import_piece", str(path), owner="stranger")


def test_what_can_not_be_saved_leaves_no_files(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)

    def fail(made: Piece) -> None:
        raise Refusal("This file was deleted meanwhile.")

    with pytest.raises(Refusal, match="meanwhile"):
        import_archive(stranger.pk, exported(piece, tmp_path), on_saved=fail)
    assert_nothing_left(stranger)


def assert_nothing_left(stranger: User) -> None:
    """No piece, and no file that no row names."""
    assert not Piece.objects.filter(owner=stranger).exists()
    named = {str(piece.base_file) for piece in Piece.objects.all()}
    named |= {str(layer.pixels) for layer in Layer.objects.all()}
    root = Path(settings.MEDIA_ROOT)
    found = {
        path.relative_to(root).as_posix()
        for folder in ("bases", "layers", "laid")
        for path in (root / folder).rglob("*")
    }
    assert found <= named
    assert not LaidFile.objects.filter(piece__owner=stranger).exists()


def test_names_of_files_in_it_lead_nowhere_else(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    piece.base_name = "../../../escaped.png"
    piece.save()
    made = import_archive(stranger.pk, exported(piece, tmp_path))
    assert made.base_name == "escaped.png"
    assert not list(tmp_path.rglob("escaped.png"))


def test_models_that_are_others_here_are_named(
    piece: Piece, stranger: User, tmp_path: Path
) -> None:
    path = with_facts(exported(piece, tmp_path), models={"grisaille": "0" * 64, "dusk": "1" * 64})
    made = import_archive(stranger.pk, path)
    assert "The model dusk is not here" in made.notes
    assert "grisaille is another version here" in made.notes
    same = import_archive(stranger.pk, exported(piece, tmp_path))
    assert same.notes == piece.notes


def test_downloaded_and_imported_on_the_pages(
    piece: Piece, stranger: User, client: Client, tmp_path: Path
) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base.pixels)), tmp_path)
    client.force_login(piece.owner)
    answer = client.get(reverse("piece-archive", args=[piece.pk]))
    assert answer.headers["Content-Disposition"] == 'attachment; filename="eye.ora"'
    sent = io.BytesIO(received(answer))
    sent.name = "eye.ora"
    client.force_login(stranger)
    assert client.get(reverse("piece-archive", args=[piece.pk])).status_code == 404
    client.post(reverse("import-pictures"), {"files": sent})
    upload = Upload.objects.get(owner=stranger)
    assert "eye.ora" in client.get(reverse("pieces")).content.decode()
    carry_out(upload)
    upload.refresh_from_db()
    made = Piece.objects.get(pk=upload.piece_id)
    assert made.owner == stranger
    assert made.layers.latest("created").sha256 == layer.sha256
    assert made.schedule == Schedule.from_json(piece.schedule.to_json())


def test_scripts_download_and_import_it(ask: Ask, piece: Piece) -> None:
    answer = ask("get", f"pieces/{piece.pk}/archive.ora")
    file = io.BytesIO(received(answer))
    file.name = "eye.ora"
    upload = ask("post", "pieces", data={"file": file})
    assert upload.status_code == 202
    carry_out(Upload.objects.get())
    state = ask("get", f"uploads/{upload.json()['id']}").json()
    assert Piece.objects.get(pk=state["piece"]).base.sha256 == piece.base.sha256


def received(answer: Any) -> bytes:
    async def read() -> bytes:
        return b"".join([block async for block in answer.streaming_content])

    return async_to_sync(read)()
