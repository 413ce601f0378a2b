"""Swatches in the kiln: the firing's pixels, nothing made twice, stopped, forgotten."""

import io
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import Refusal
from enamel.core.export.output import FileFormat
from enamel.core.geometry import Box, Size
from enamel.core.networks.intake import add_model
from enamel.core.pipeline.sheets import Axis
from enamel.core.progress import Progress
from enamel.core.schedule import Coat, Mode, Refine, Schedule
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.separate import grid_of
from enamel.core.tiling.tilestore import key_of
from enamel.firings import services as firings
from enamel.firings.models import Firing
from enamel.kiln.presenters import other_work
from enamel.library.layers import canvas_of, piece_work
from enamel.library.models import Layer, Piece
from enamel.prints import services as prints
from enamel.swatches import jobs as swatching
from enamel.swatches import services as swatches
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.swatches.pixels import pixels_of
from tests.onnxfiles import refiner_network
from tests.pictures import assert_same_pixels
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
WINDOW = Box(60, 40, 70, 50)


def coat(factor: float = 2.0, **more: object) -> Coat:
    refine = {"strength": 0.3, "steps": 2, "tile": (96, 96), "overlap": 16} | more
    return Coat(factor=factor, refine=Refine(**refine))  # type: ignore[arg-type]


def made(sheet: SwatchSheet) -> list[Swatch]:
    for swatch in sheet.swatches.all():
        carry_out(swatch)
    return list(sheet.swatches.all())


def fired(piece: Piece, schedule: Schedule) -> tuple[Layer, Firing]:
    firing = firings.enqueue_schedule(piece.base, schedule)
    carry_out(firing)
    firing.refresh_from_db()
    assert firing.result is not None, firing.error
    return firing.result, firing


@pytest.mark.parametrize("coats", [(coat(),), (coat(), coat(1.5, seed=3, anchor=0.5))])
def test_a_swatch_is_the_firings_window_and_the_firing_takes_its_tiles(
    piece: Piece, coats: tuple[Coat, ...]
) -> None:
    schedule = Schedule(coats)
    (swatch,) = made(swatches.submit_sheet(piece, schedule, len(coats) - 1, WINDOW, []))
    assert swatch.state == Swatch.State.DONE, swatch.error
    layer, firing = fired(piece, schedule)
    with canvas_of(layer) as canvas:
        window = canvas.read(WINDOW)
    assert_same_pixels(pixels_of(swatch), window)
    assert swatch.sha256 == key_of(window)
    assert firing.actual["shared"] > 0


def test_a_later_swatch_starts_from_the_layers_that_are_there(piece: Piece) -> None:
    first, second = coat(), coat(1.5, seed=3)
    layer, _ = fired(piece, Schedule((first,)))
    sheet = swatches.submit_sheet(piece, Schedule((first, second)), 1, WINDOW, [])
    assert sheet.start == layer
    assert len(sheet.as_schedule().coats) == 1
    (swatch,) = made(sheet)
    result, _ = fired(piece, Schedule((first, second)))
    with canvas_of(result) as canvas:
        assert_same_pixels(pixels_of(swatch), canvas.read(WINDOW))


def test_the_same_settings_are_never_run_twice(piece: Piece) -> None:
    axes = [Axis("strength", (0.2, 0.3)), Axis("seed", (1, 2))]
    first = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, axes)
    assert first.predicted_seconds > 0
    jobs = ProcrastinateJob.objects.filter(queue_name="swatches")
    assert sorted(job.priority for job in jobs) == [-3, -2, -1, 0]
    done = made(first)
    assert {swatch.state for swatch in done} == {Swatch.State.DONE}
    assert len({swatch.sha256 for swatch in done}) == 4
    assert not list(piece_work(piece).rglob("*.npy")), "nothing is left of the making"
    again = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [Axis("seed", (2, 3))])
    states = {swatch.label: swatch.state for swatch in again.swatches.all()}
    assert states == {"Seed 2": Swatch.State.DONE, "Seed 3": Swatch.State.WAITING}
    assert jobs.all().count() == 5


def test_measures_tell_sharp_from_soft_and_near_from_far(piece: Piece) -> None:
    axes = [Axis("strength", (0.0, 0.3, 0.9))]
    plain, near, far = made(swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, axes))
    assert plain.measures["drift"] == plain.measures["joins"] == 0
    assert 0 < near.measures["drift"] < far.measures["drift"]
    assert all(swatch.measures["sharpness"] > 0 for swatch in (plain, near, far))


def test_windows_and_values_that_can_not_be_used_are_refused(piece: Piece) -> None:
    schedule = Schedule((coat(),))
    with pytest.raises(Refusal, match="can't be tried"):
        swatches.submit_sheet(piece, schedule, 0, Box(0, 0, 8, 8), [])
    with pytest.raises(Refusal, match="strength"):
        swatches.submit_sheet(piece, schedule, 0, WINDOW, [Axis("strength", (2.0,))])
    assert not SwatchSheet.objects.exists()
    beyond = swatches.submit_sheet(piece, schedule, 0, Box(190, 140, 500, 500), [])
    assert beyond.box == Box(190, 140, 34, 36)


def test_a_stopped_sheet_keeps_what_is_made(piece: Piece) -> None:
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [Axis("seed", (1, 2, 3))])
    first, *rest = sheet.swatches.all()
    carry_out(first)
    swatches.stop(sheet)
    for swatch in rest:
        carry_out(swatch)
    states = [swatch.state for swatch in sheet.swatches.all()]
    assert states == [Swatch.State.DONE, Swatch.State.STOPPED, Swatch.State.STOPPED]


def test_a_closing_worker_hands_a_swatch_back(piece: Piece) -> None:
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [])
    (swatch,) = sheet.swatches.all()
    assert not carry_out(swatch, lambda: True)
    swatch.refresh_from_db()
    assert swatch.state == Swatch.State.WAITING
    assert carry_out(swatch)


def test_a_failure_says_why(piece: Piece) -> None:
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [])
    (swatch,) = sheet.swatches.all()
    Path(piece.base.pixels.path).unlink()
    carry_out(swatch)
    swatch.refresh_from_db()
    assert (swatch.state, bool(swatch.error)) == (Swatch.State.FAILED, True)


def test_forgetting_a_sheet_spares_the_pixels_that_others_show(piece: Piece) -> None:
    schedule = Schedule((coat(),))
    first = swatches.submit_sheet(piece, schedule, 0, WINDOW, [])
    (swatch,) = made(first)
    second = swatches.submit_sheet(piece, schedule, 0, WINDOW, [])
    path = Path(swatch.pixels.path)
    swatches.delete(first)
    assert path.exists()
    swatches.delete(second)
    assert not path.exists()


def test_a_sheet_around_a_swatch_is_closer(piece: Piece) -> None:
    sheet = swatches.submit_sheet(
        piece,
        Schedule((coat(),)),
        0,
        WINDOW,
        [Axis("strength", (0.1, 0.3, 0.5)), Axis("seed", (1, 2))],
    )
    swatch = sheet.swatches.get(row=1, column=2)
    assert swatches.narrower(swatch) == [Axis("strength", (0.4, 0.5, 0.6)), Axis("seed", (1, 2))]


def test_the_strip_holds_every_crop_at_its_true_size(piece: Piece, tmp_path: Path) -> None:
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [Axis("seed", (1, 2))])
    made(sheet)
    for form, suffix in ((FileFormat.PNG, "png"), (FileFormat.TIFF, "tif")):
        written = prints.order_sheet(sheet, form)
        carry_out(written)
        written.refresh_from_db()
        assert (written.name, written.error) == (f"eye-swatches.{suffix}", "")
        with PIL.Image.open(written.file.path) as image:
            assert image.size == (written.width, written.height)
            assert image.info["dpi"][0] == pytest.approx(300, abs=0.1)
            pixels = np.asarray(image)
        crop = np.rint(pixels_of(sheet.swatches.all()[1]) / 257).astype(np.uint8)
        found = [
            (y, x)
            for y, x in np.argwhere(
                (pixels[: -crop.shape[0], : -crop.shape[1]] == crop[0, 0]).all(-1)
            )
            if (pixels[y : y + crop.shape[0], x : x + crop.shape[1]] == crop).all()
        ]
        assert len(found) == 1
    late = prints.order_sheet(sheet, FileFormat.PNG)
    swatches.delete(sheet)
    carry_out(late)
    late.refresh_from_db()
    assert "deleted meanwhile" in late.error


def test_suggested_windows_lie_inside_and_differ(piece: Piece) -> None:
    found = swatches.suggestions(piece.base, coat().size_from(piece.base.size), 64)
    boxes = {entry["words"]: Box(*entry["box"]) for entry in found}
    assert {"The strongest detail", "The flattest area"} <= set(boxes)
    assert boxes["The strongest detail"] != boxes["The flattest area"]
    refine = coat().refine
    assert refine is not None
    listed = swatches.suggestions(piece.base, coat().size_from(piece.base.size), 64, refine)
    boxes |= {entry["words"]: Box(*entry["box"]) for entry in listed}
    assert boxes["All of it"] == Box(0, 0, 224, 176)
    seam = boxes["The likeliest seam"]
    joins = grid_of(PassSpec.of(refine, Size(224, 176))).joins
    assert any(abs(seam.x + 32 - x) <= 1 for x in joins[0])
    assert all(Box(0, 0, 224, 176).contains(box) for box in boxes.values())


def test_what_a_swatch_has_so_far_is_seen_after_each_tile(
    piece: Piece, monkeypatch: pytest.MonkeyPatch
) -> None:
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, [])
    seen: list[tuple[int, bytes]] = []
    on_progress = swatching.PartialWindow.on_progress

    def received(self: swatching.PartialWindow, progress: Progress) -> None:
        on_progress(self, progress)
        swatch = Swatch.objects.get()
        seen.append((swatch.tiles_done, bytes(swatch.so_far or b"")))

    monkeypatch.setattr(swatching.PartialWindow, "on_progress", received)
    (swatch,) = made(sheet)
    assert [done for done, _ in seen] == list(range(1, len(seen) + 1))
    assert len({picture for _, picture in seen}) == len(seen) > 1
    with PIL.Image.open(io.BytesIO(seen[-1][1])) as last:
        assert last.size == WINDOW.size
        shown = np.asarray(last.convert("RGB"), np.float64)
    finished = pixels_of(swatch)[..., :3] / 257
    assert np.abs(shown - finished).mean() < 4, "all of it is there after the last tile"
    assert swatch.so_far is None


def test_a_window_that_needs_fewer_tiles_near_by_is_offered(piece: Piece) -> None:
    schedule = Schedule((coat(),))
    cost = swatches.predicted(piece, schedule, WINDOW, [])
    assert cost.moved is not None
    assert cost.moved.size == WINDOW.size
    assert cost.moved_seconds < cost.seconds
    again = swatches.predicted(piece, schedule, cost.moved, [])
    assert again.moved is None
    assert again.seconds == cost.moved_seconds


def test_in_joint_mode_of_a_refiner_that_looks_at_whole_tiles_it_is_near_and_says_how_near(
    piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ENAMEL_MODELS", str(tmp_path / "own"))
    add_model(refiner_network(tmp_path / "glaze.onnx", whole=True), "glaze")
    schedule = Schedule((coat(model="glaze", mode=Mode.JOINT, sampler=Sampler.EULER),))
    (early,) = made(swatches.submit_sheet(piece, schedule, 0, WINDOW, []))
    assert early.measures["apart"] is None
    fired(piece, schedule)
    early.refresh_from_db()
    apart = early.measures["apart"]
    assert 0 <= apart < 40
    early.sheet.delete()
    (late,) = made(swatches.submit_sheet(piece, schedule, 0, WINDOW, []))
    assert late.measures["apart"] == apart
    plain = Schedule((coat(model="glaze"),))
    (same,) = made(swatches.submit_sheet(piece, plain, 0, WINDOW, []))
    assert "apart" not in same.measures


def test_two_sheets_that_wait_for_the_same_pixels_have_them_made_once(piece: Piece) -> None:
    one, other = (
        swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, []) for _ in range(2)
    )
    first, second = one.swatches.get(), other.swatches.get()
    assert (first.state, second.state) == (Swatch.State.WAITING, Swatch.State.WAITING)
    carry_out(first)
    carry_out(second)
    assert second.state == Swatch.State.DONE
    assert (second.pixels.name, second.sha256) == (first.pixels.name, first.sha256)
    assert second.seconds == 0
    swatches.delete(one)
    assert second.pixels.storage.exists(second.pixels.name)


def test_the_kiln_lists_swatches_that_are_still_to_be_made(piece: Piece) -> None:
    axes = [Axis("strength", (0.2, 0.3)), Axis("seed", (1, 2))]
    sheet = swatches.submit_sheet(piece, Schedule((coat(),)), 0, WINDOW, axes)
    total = sheet.swatches.count()
    sheet.swatches.filter(pk=sheet.swatches.all()[0].pk).update(state=Swatch.State.DONE)
    work = next(one for one in other_work(piece.owner) if "swatch" in one.what)
    assert (work.what, work.words) == ("Making swatches", f"1 of {total} done")
    sheet.swatches.update(state=Swatch.State.DONE)
    assert not any("swatch" in one.what for one in other_work(piece.owner))
