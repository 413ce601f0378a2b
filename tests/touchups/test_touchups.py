"""Touch-ups and inlays in the kiln: candidates, verdicts, layers, and doing it again."""

from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np
import PIL.Image
import pytest
from django.contrib.auth.models import User
from django.core.files import File
from django.utils import timezone

from enamel.core.errors import Refusal
from enamel.core.faces.detection import Face
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.steps import Ellipse, Feather, Rectangle
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import Origin, Patch, TouchUp
from enamel.core.schedule import Coat, Refine, Schedule
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.library import faces, masks
from enamel.library import services as library
from enamel.library.layers import canvas_of, piece_work
from enamel.library.models import LaidFile, Layer, Piece, SavedMask
from enamel.swatches import services as swatches
from enamel.swatches.pixels import pixels_of as pixels_of_swatch
from enamel.touchups import inlays
from enamel.touchups import jobs as candidates
from enamel.touchups import services as touchups
from enamel.touchups.models import Candidate, TouchUpDraft
from tests.layers import enlarged, layer_of
from tests.pictures import STATIONMASTER, assert_same_pixels
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
FACE = Face(Box(40, 22, 30, 36), 90, 5)


def pixels_of(layer: Layer) -> np.ndarray:
    with canvas_of(layer) as canvas:
        return canvas.read(Box.whole(layer.size))


def place(layer: Layer, x: float = 54.0) -> Patch:
    mask = Mask(layer.size, (Ellipse(x, 40, 20, 18), Feather(6)))
    return Patch(mask, working=128, strength=0.5)


def touch_up(layer: Layer, *patches: Patch, **more: object) -> TouchUp:
    refine = Refine(steps=2, tile=(96, 96), overlap=16)
    return TouchUp(patches or (place(layer),), refine=refine, **more)  # type: ignore[arg-type]


def asked(layer: Layer, *tries: tuple[float, int], **more: object) -> TouchUpDraft:
    return touchups.submit_candidates(layer, touch_up(layer), tries or ((0.5, 1), (0.5, 2)), **more)  # type: ignore[arg-type]


def made(shown: TouchUpDraft) -> list[Candidate]:
    for candidate in shown.candidates.all():
        assert carry_out(candidate)
    return list(shown.candidates.all())


def laid(shown: TouchUpDraft) -> Layer:
    return carried_out(touchups.lay(shown))


def carried_out(firing: Firing) -> Layer:
    assert carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None, firing.error
    return firing.result


def test_an_accepted_candidate_becomes_a_layer_without_being_made_again(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown = asked(piece.base)
    first, second = made(shown)
    assert first.state == second.state == Candidate.State.DONE, first.error
    assert bytes(first.shown or b"")[:4] == b"RIFF"
    assert bytes(first.shown or b"") != bytes(second.shown or b"")
    assert candidates.before(shown, 0)[:4] == b"RIFF"
    assert not list(piece_work(piece).glob("candidate-*"))
    touchups.judge(second, "accepted")

    def again(*given: object, **more: object) -> None:
        raise AssertionError("made a second time")

    monkeypatch.setattr("enamel.core.pipeline.touchup.make_patch", again)
    layer = laid(shown)
    assert layer.kind == Layer.Kind.TOUCH_UP
    assert layer.parent == piece.base
    assert layer.refine is not None
    assert layer.refine["seed"] == 2
    assert 0.4 < layer.mended_at < 0.6
    covered = RenderedMask(place(piece.base).mask, layer.size).read(Box.whole(layer.size))
    before, after = pixels_of(piece.base), pixels_of(layer)
    assert_same_pixels(after[covered == 0], before[covered == 0])
    assert (after[covered == 1] != before[covered == 1]).any()
    assert laid(shown) == layer  # the same again is there already


def test_of_a_place_one_is_laid_whole_and_what_was_painted_over_it(piece: Piece) -> None:
    shown = asked(piece.base)
    first, second = made(shown)
    touchups.judge(first, "accepted")
    touchups.judge(second, "accepted")
    first.refresh_from_db()
    assert first.verdict == ""
    left = Mask(piece.base.size, (Rectangle(0, 0, 54, 999),))
    touchups.paint(first, left)
    settings = touchups.chosen(shown)
    assert [patch.seed for patch in settings.patches] == [2, 1]
    assert settings.patches[1].over == left
    both = pixels_of(laid(shown))
    touchups.paint(first, None)
    alone = pixels_of(laid(shown))
    assert_same_pixels(both[:, 56:], alone[:, 56:])
    assert (both[:, :50] != alone[:, :50]).any()


def test_nothing_accepted_and_masks_of_nothing_are_refused(piece: Piece) -> None:
    shown = asked(piece.base)
    with pytest.raises(Refusal, match="Nothing is accepted yet"):
        touchups.lay(shown)
    (first, _) = shown.candidates.all()
    with pytest.raises(Refusal, match="covers nothing"):
        touchups.paint(first, Mask(piece.base.size, (Ellipse(9000, 0, 5, 5),)))
    empty = touch_up(piece.base, Patch(Mask(piece.base.size)))
    with pytest.raises(Refusal, match="covers nothing"):
        touchups.submit_candidates(piece.base, empty, ((0.5, 1),))
    assert TouchUpDraft.objects.count() == 1
    with pytest.raises(Refusal, match="at most 200 can be asked"):
        touchups.submit_candidates(
            piece.base, touch_up(piece.base), [(0.5, seed) for seed in range(201)]
        )


def test_a_crowd_is_refined_in_one_go_and_accepted_faces_are_one_layer(piece: Piece) -> None:
    base = piece.base
    settings = touch_up(base, place(base, 34), place(base, 80))
    shown = touchups.submit_candidates(base, settings, ((0.5, 1),), ("Face 1", "Face 2"))
    one, other = made(shown)
    assert (one.place, other.place) == (0, 1)
    touchups.judge(one, "rejected")
    touchups.judge(other, "accepted")
    layer = laid(shown)
    changed = (pixels_of(layer) != pixels_of(base)).any(axis=(0, 2))
    assert changed[70:90].any()
    assert not changed[:50].any()


def test_one_more_stopped_and_forgotten(piece: Piece) -> None:
    shown = asked(piece.base)
    touchups.stop(shown)
    assert {one.state for one in shown.candidates.all()} == {Candidate.State.STOPPED}
    touchups.more(shown, 0.3, 9)
    third = made(shown)[2]
    assert third.state == Candidate.State.DONE
    assert (third.patch["strength"], third.patch["seed"]) == (0.3, 9)
    path = Path(third.pixels.path)
    assert path.exists()
    touchups.delete(shown)
    assert not path.exists()
    assert not TouchUpDraft.objects.exists()


def test_a_closing_worker_gives_a_candidate_back_and_a_dead_one_is_not_tried_for_ever(
    piece: Piece,
) -> None:
    shown = asked(piece.base, (0.5, 1))
    candidate = shown.candidates.get()
    assert not carry_out(candidate, lambda: True)
    candidate.refresh_from_db()
    assert (candidate.state, candidate.attempts) == (Candidate.State.WAITING, 0)
    Candidate.objects.update(attempts=Candidate.MOST_ATTEMPTS)
    assert carry_out(candidate)
    candidate.refresh_from_db()
    assert candidate.state == Candidate.State.FAILED
    assert "Choose a smaller working size" in candidate.error


def test_the_base_is_refined_in_the_place_of_the_layer(piece: Piece, tmp_path: Path) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base)) // 3, tmp_path)
    mask = Mask(layer.size, (Ellipse(108, 80, 40, 36),))
    settings = touch_up(layer, Patch(mask, working=128), origin=Origin.BASE, match=0.0)
    shown = touchups.submit_candidates(layer, settings, ((0.2, 1),))
    (candidate,) = made(shown)
    touchups.judge(candidate, "accepted")
    after = pixels_of(laid(shown))
    inside = RenderedMask(mask, layer.size).read(Box.whole(layer.size)) == 1
    assert after[inside].mean() > 2 * pixels_of(layer)[inside].mean()


def test_a_changed_touch_up_takes_the_place_and_what_came_after_is_done_again(piece: Piece) -> None:
    first = asked(piece.base, (0.5, 1))
    touchups.judge(made(first)[0], "accepted")
    earlier = laid(first)
    coat = Coat(factor=2.0, refine=Refine(strength=0.2, steps=2, tile=(96, 96), overlap=16))
    coated = carried_out(firings.enqueue_schedule(earlier, Schedule((coat,))))
    again = asked(coated, (0.3, 4))
    touchups.judge(made(again)[0], "accepted")
    laid(again)

    changed = asked(piece.base, (0.5, 8), replaces=earlier)
    touchups.judge(made(changed)[0], "accepted")
    fresh = laid(changed)
    assert fresh.replaces == earlier
    assert firings.replaced_by(fresh) == earlier
    after = firings.after(earlier)
    assert [layer.kind for layer in after] == ["coat", "touch-up"]
    last = carried_out(firings.enqueue_again(fresh, after))
    assert last.kind == Layer.Kind.TOUCH_UP
    assert last.parent is not None
    assert last.parent.kind == Layer.Kind.COAT
    assert last.parent.parent == fresh
    assert last.recipe["touch_up"] == after[1].recipe["touch_up"]
    with pytest.raises(Refusal, match="Nothing was made after it"):
        firings.enqueue_again(fresh, [])


# masks and faces --------------------------------------------------------------------------------


def test_masks_are_kept_renamed_and_mean_the_same_on_every_layer(piece: Piece) -> None:
    mask = place(piece.base).mask
    kept = masks.keep(piece, "  the  hat ", mask)
    assert kept.name == "the hat"
    assert masks.keep(piece, "the hat", mask.then(Feather(2))) == kept
    assert SavedMask.objects.count() == 1
    other = masks.keep(piece, "the beard", mask)
    with pytest.raises(Refusal, match="Another mask has this name"):
        masks.rename(other, "the hat")
    masks.rename(other, "the coat")
    assert set(masks.named(piece)) >= {"the coat", "the hat"}
    for name, given in (("", mask), ("empty", Mask(piece.base.size)), ("All Faces", mask)):
        with pytest.raises(Refusal):
            masks.keep(piece, name, given)


def test_masks_are_measured_on_layers(piece: Piece, tmp_path: Path) -> None:
    samples = enlarged(pixels_of(piece.base))
    samples[60:120, 80:140] = np.clip(samples[60:120, 80:140].astype(int) + 9000, 0, 65535)
    layer = layer_of(piece, samples, tmp_path)
    found = RenderedMask(masks.difference_mask(layer), layer.size).read(Box.whole(layer.size))
    assert found[70:110, 90:130].mean() > 0.9
    assert found[:40].mean() < 0.3
    if layer.found:
        assert masks.findings_mask(layer).steps
    layer.checks = {"findings": []}
    layer.save(update_fields=["checks"])
    with pytest.raises(Refusal, match="checks found nothing"):
        masks.findings_mask(layer)
    soft = layer_of(piece, enlarged(pixels_of(piece.base)[::2, ::2].copy(), 4), tmp_path)
    assert masks.better_mask(layer, soft, "sharper").steps
    assert masks.better_mask(layer, soft, "nearer").steps


def test_faces_are_corrected_on_the_base_and_carried_to_every_layer(
    piece: Piece, tmp_path: Path
) -> None:
    base = piece.base
    layer = layer_of(piece, enlarged(pixels_of(base)), tmp_path)
    twice = Face(FACE.box.scaled(2), 0, FACE.turn)
    faces.correct_faces(layer, [twice])
    assert piece.faces_kept == [[40, 22, 30, 36, 5]]
    assert piece.faces_on(layer) == [twice]
    (listed,) = faces.listed(layer)
    assert listed.facts.px_on_base == 36
    assert listed.print_mm == pytest.approx(36 / 88 * 210, rel=0.15)
    mask = masks.faces_mask(layer)
    assert RenderedMask(mask, layer.size).read(Box(108, 80, 1, 1)) == 1
    assert masks.ALL_FACES in masks.named(piece)
    with pytest.raises(Refusal, match="has to lie on the picture"):
        faces.correct_faces(base, [Face(Box(900, 900, 20, 20), 0)])
    assert piece.faces_kept == [[40, 22, 30, 36, 5]]
    faces.reset_faces(piece)
    assert piece.faces_kept is None


def test_faces_are_listed_worst_first(piece: Piece) -> None:
    faces.correct_faces(piece.base, [Face(Box(40, 22, 40, 48), 0), Face(Box(44, 30, 12, 14), 0)])
    listed = faces.listed(piece.base)
    assert [one.facts.need for one in listed] == sorted(
        (one.facts.need for one in listed), reverse=True
    )


# inlays -----------------------------------------------------------------------------------------


def over(source: Layer, under: Layer, **more: object) -> Inlay:
    mask = Mask(under.size, (Rectangle(60, 40, 80, 60), Feather(8)))
    return Inlay(source.sha256, mask, **more)  # type: ignore[arg-type]


def test_inlays_become_a_layer_whose_pixels_were_previewed(piece: Piece, tmp_path: Path) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base)) // 2, tmp_path)
    settings = [over(piece.base, layer, opacity=0.8, seamless=1.0)]
    window = Box(50, 30, 100, 80)
    shown = inlays.shown(layer, settings, window)
    result = carried_out(firings.enqueue_inlays(layer, settings))
    assert result.kind == Layer.Kind.INLAY
    assert result.parent == layer
    assert shown[:4] == b"\x89PNG"
    seen = cv2.imdecode(np.frombuffer(shown, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    expected = np.rint(pixels_of(result)[window.slices] / 257).astype(np.uint8)
    np.testing.assert_array_equal(seen, expected)
    covered = RenderedMask(settings[0].mask or Mask(), layer.size).read(Box.whole(layer.size))
    assert_same_pixels(pixels_of(result)[covered == 0], pixels_of(layer)[covered == 0])
    assert carried_out(firings.enqueue_inlays(layer, settings)) == result
    assert result.step_form == {"inlay": {"inlays": [to_json(settings[0])]}}


def test_a_large_part_is_previewed_reduced(
    piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    layer = layer_of(piece, enlarged(pixels_of(piece.base)), tmp_path)
    monkeypatch.setattr(inlays, "MOST_SHOWN", 5000)
    shown = inlays.shown(layer, [over(piece.base, layer)], Box.whole(layer.size))
    height, width, _ = cv2.imdecode(np.frombuffer(shown, np.uint8), cv2.IMREAD_COLOR).shape
    assert width * height == pytest.approx(5000, rel=0.1)


def test_inlays_without_a_source_are_refused(piece: Piece) -> None:
    with pytest.raises(Refusal, match="choose a picture first"):
        firings.enqueue_inlays(piece.base, [])
    with pytest.raises(Refusal, match="no longer among the piece's layers and files"):
        inlays.shown(piece.base, [Inlay("gone")], Box(0, 0, 20, 20))
    with pytest.raises(Refusal, match="outside the layer"):
        inlays.shown(piece.base, [], Box(900, 0, 20, 20))


def as_file(samples: np.ndarray, path: Path) -> File:  # type: ignore[type-arg]
    PIL.Image.fromarray((samples // 257).astype(np.uint8)).save(path)
    return File(path.open("rb"))


def test_a_file_is_laid_where_it_belongs_and_kept_once(
    artist: User, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with STATIONMASTER.open("rb") as file:
        piece = library.import_picture(artist, File(file), "stationmaster.png")
    part = pixels_of(piece.base)[300:800, 150:650][::2, ::2] // 2
    source, found = inlays.take_file(piece.base, as_file(part, tmp_path / "a.png"), "darker.png")
    assert found is not None
    assert found.residual < 2
    settings = Inlay(source.sha256, homography=source.homography)
    result = pixels_of(carried_out(firings.enqueue_inlays(piece.base, [settings])))
    before = pixels_of(piece.base)
    ratio = result[400:700, 250:550].mean() / before[400:700, 250:550].mean()
    assert ratio == pytest.approx(0.5, abs=0.03)
    assert_same_pixels(result[:280], before[:280])
    assert_same_pixels(result[:, :140], before[:, :140])
    inlays.take_file(piece.base, as_file(part, tmp_path / "b.png"), "again.png")
    assert piece.laid_files.count() == 1
    assert "File · darker.png" in [one.words for one in inlays.sources_of(piece, piece.base)]


def test_a_file_that_shows_something_else_is_laid_edge_to_edge_or_refused(
    piece: Piece, tmp_path: Path
) -> None:
    grey = np.full((176, 224, 3), 30000, np.uint16)
    source, found = inlays.take_file(piece.base, as_file(grey, tmp_path / "a.png"), "grey.png")
    assert found is None
    with pytest.raises(Refusal, match="shows too little of what the layer shows"):
        inlays.take_file(piece.base, as_file(grey[:80], tmp_path / "b.png"), "flat.png")
    words = tmp_path / "words.png"
    words.write_text("no picture")
    with pytest.raises(Refusal, match="not a picture"):
        inlays.take_file(piece.base, File(words.open("rb")), "words.png")
    assert [file.name for file in piece.laid_files.all()] == ["grey.png"]
    shown = inlays.shown(
        piece.base, [Inlay(source.sha256, homography=source.homography)], Box(0, 0, 112, 88)
    )
    assert shown[:4] == b"\x89PNG"


def test_a_swatch_is_laid_in_its_window(piece: Piece) -> None:
    window = Box(60, 40, 70, 50)
    coat = Coat(factor=2.0, refine=Refine(strength=0.8, steps=2, tile=(96, 96), overlap=16))
    sheet = swatches.submit_sheet(piece, Schedule((coat,)), 0, window, [])
    carry_out(sheet.swatches.get())
    layer = carried_out(firings.enqueue_schedule(piece.base, Schedule((Coat(factor=2.0),))))
    source = next(one for one in inlays.sources_of(piece, layer) if one.words.startswith("Swatch"))
    settings = Inlay(source.sha256, homography=source.homography)
    result, before = (
        pixels_of(one) for one in (carried_out(firings.enqueue_inlays(layer, [settings])), layer)
    )
    changed = (result != before).any(axis=2)
    inside = np.zeros_like(changed)
    inside[window.slices] = True
    assert not changed[~inside].any()
    assert_same_pixels(result[window.slices], pixels_of_swatch(sheet.swatches.get()))


def test_deleting_one_piece_for_good_leaves_anothers_laid_file(
    piece: Piece, stranger: User, picture_file: Path, tmp_path: Path
) -> None:
    with picture_file.open("rb") as file:
        other = library.import_picture(stranger, File(file), "eye.png")
    for one in (piece, other):
        part = pixels_of(one.base)
        source, _ = inlays.take_file(
            one.base, as_file(part, tmp_path / f"{one.pk}.png"), "laid.png"
        )
    first, second = piece.laid_files.get(), other.laid_files.get()
    assert first.sha256 == second.sha256 == source.sha256
    assert first.pixels.name != second.pixels.name
    LaidFile.objects.update(
        pixels=second.pixels.name
    )  # whatever the cause, a file that another needs stays
    for gone, left in ((piece, True), (other, False)):
        Piece.objects.filter(pk=gone.pk).update(deleted_at=timezone.now() - timedelta(days=40))
        assert library.delete_for_good() == 1
        assert second.pixels.storage.exists(str(second.pixels.name)) is left


def test_two_who_lay_the_same_file_at_once_share_it(
    piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    picture = as_file(pixels_of(piece.base), tmp_path / "a.png")
    keep = inlays.keep_laid_file

    def slowly(*given: object) -> None:
        monkeypatch.setattr(inlays, "keep_laid_file", keep)
        inlays.take_file(
            piece.base, as_file(pixels_of(piece.base), tmp_path / "b.png"), "first.png"
        )
        keep(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(inlays, "keep_laid_file", slowly)
    inlays.take_file(piece.base, picture, "second.png")
    kept = piece.laid_files.get()
    assert kept.name == "first.png"
    folder = Path(kept.pixels.storage.path("laid"))
    assert [path.name for path in folder.iterdir()] == [Path(str(kept.pixels.name)).name]


def test_an_account_with_layers_can_be_deleted(piece: Piece) -> None:
    shown = asked(piece.base)
    touchups.judge(made(shown)[0], "accepted")
    layer = laid(shown)
    assert layer.parent == piece.base
    User.objects.get(pk=piece.owner_id).delete()
    assert not Layer.objects.exists()
    assert not Firing.objects.exists()
