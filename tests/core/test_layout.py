"""Where pictures lie on prints: exact pixels, nothing cropped or stretched by accident."""

from pathlib import Path

import numpy as np
import PIL.Image
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from enamel.core.errors import Refusal, Stopped
from enamel.core.export.file import export
from enamel.core.export.placed import PlacedPicture
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.printing.layout import (
    Edge,
    Fit,
    PrintPlan,
    growth,
    lay_out,
    missing,
    native,
    whole_factor,
)
from enamel.core.printing.sizing import Bleed, PrintTarget, Unit

SIZES = st.builds(Size, st.integers(200, 3000), st.integers(200, 3000))
LENGTHS = st.floats(30, 900)
BLEEDS = st.builds(Bleed, *(st.sampled_from([0.0, 3.0, 5.0, 12.5]) for _ in range(4)))
TARGETS = st.builds(PrintTarget, LENGTHS, LENGTHS, st.floats(72, 400), BLEEDS)
PLANS = st.builds(
    PrintPlan,
    TARGETS,
    st.sampled_from(Fit),
    st.tuples(st.floats(0, 1), st.floats(0, 1)),
    st.floats(1, 3),
)


@given(source=SIZES, plan=PLANS)
def test_the_file_is_exact_and_the_picture_is_within_its_bounds(
    source: Size, plan: PrintPlan
) -> None:
    layout = lay_out(source, plan)
    if plan.fit is Fit.INSIDE:
        assert layout.file == layout.picture
        assert all(side <= most for side, most in zip(layout.file, plan.target.pixels, strict=True))
    else:
        assert layout.file == plan.target.pixels
    assert Box.whole(layout.picture).contains(layout.shown)
    placed = Box(layout.left, layout.top, *layout.shown.size)
    assert Box.whole(layout.file).contains(placed)
    assert layout.extends == (plan.fit is Fit.EXTEND and layout.file != layout.picture)


@given(source=SIZES, plan=PLANS)
def test_the_shape_is_kept_to_within_a_pixel(source: Size, plan: PrintPlan) -> None:
    picture = lay_out(source, plan).picture
    assume(min(picture) > 1)
    across, down = picture.width / source.width, picture.height / source.height
    assert abs(across - down) <= 1 / source.width + 1 / source.height


@given(source=SIZES, plan=PLANS)
def test_at_its_native_resolution_a_picture_needs_no_resampling(
    source: Size, plan: PrintPlan
) -> None:
    layout, ppi = native(source, plan)
    assert layout.picture == source
    assert Box.whole(source).contains(layout.shown)
    assert Box.whole(layout.file).contains(Box(layout.left, layout.top, *layout.shown.size))
    wanted = lay_out(source, plan)
    assume(10 < ppi < 4800)
    assume(min(wanted.picture) > 100)  # below, whole pixels are too coarse to tell a resolution
    for side, asked in zip(layout.file, wanted.file, strict=True):
        printed_in = side / ppi
        assert printed_in == pytest.approx(
            asked / plan.target.ppi, rel=0.01, abs=2 / ppi + 2 / plan.target.ppi
        )


def test_a_crop_follows_its_middle_and_stays_inside() -> None:
    square = PrintTarget(100, 100, 254)
    tall = Size(500, 1000)
    middle = lay_out(tall, PrintPlan(square, Fit.FILL))
    assert (middle.picture, middle.shown) == ((1000, 2000), Box(0, 500, 1000, 1000))
    top = lay_out(tall, PrintPlan(square, Fit.FILL, centre=(0.5, 0.0)))
    assert top.shown == Box(0, 0, 1000, 1000)
    closer = lay_out(tall, PrintPlan(square, Fit.FILL, centre=(0.5, 0.5), zoom=2.0))
    assert closer.picture == (2000, 4000)
    assert closer.shown == Box(500, 1500, 1000, 1000)


def test_an_extended_picture_is_in_the_trim_between_different_bleeds() -> None:
    target = PrintTarget(100, 100, 254, Bleed(top=10, right=0, bottom=20, left=5))
    layout = lay_out(Size(100, 100), PrintPlan(target, Fit.EXTEND))
    assert layout.file == (1050, 1300)
    assert (layout.picture, layout.left, layout.top) == ((1000, 1000), 50, 100)


def test_what_is_missing_is_reported_in_one_sentence() -> None:
    target = PrintTarget(304.8, 304.8)
    plan = PrintPlan(target)
    assert missing(Size(1024, 1024), plan, Unit.IN) == "Needs 3.52× to print 12 × 12 in at 300 ppi."
    assert missing(Size(3600, 3600), plan, Unit.IN).startswith("Has exactly the pixels")
    assert missing(Size(7200, 7200), plan, Unit.IN).endswith("it prints at 600 ppi.")


@given(base=st.builds(Size, st.integers(256, 1500), st.integers(256, 1500)), plan=PLANS)
def test_an_offered_whole_factor_is_hit_to_the_pixel(base: Size, plan: PrintPlan) -> None:
    offer = whole_factor(base, plan)
    if offer is None:
        return
    picture = lay_out(base, plan.at(offer.ppi)).picture
    assert picture == offer.picture == Size(base.width * offer.factor, base.height * offer.factor)
    assert abs(offer.ppi / plan.target.ppi - 1) < 0.04


def test_a_target_a_few_pixels_off_is_offered_a_whole_factor() -> None:
    plan = PrintPlan(PrintTarget(280, 280))
    assert 3.95 < growth(Size(832, 832), plan) < 4
    offer = whole_factor(Size(832, 832), plan)
    assert offer is not None
    assert (offer.factor, offer.picture, offer.more) == (4, (3328, 3328), 21)


def written(folder: Path, canvas: Canvas, laid: PlacedPicture) -> np.ndarray:
    path = folder / "print.png"
    export(canvas, path, placed=laid)
    return np.asarray(PIL.Image.open(path))


@pytest.fixture
def ramp(tmp_path: Path) -> Canvas:
    """A picture in which every pixel is another colour."""
    samples = np.zeros((60, 80, 3), np.uint16)
    samples[..., 0] = 257 * np.arange(80)
    samples[..., 1] = 257 * np.arange(60)[:, None]
    canvas = Canvas.create(tmp_path / "ramp.npy", Box(0, 0, 80, 60), channels=3)
    canvas.write(Box(0, 0, 80, 60), samples)
    return canvas


def test_a_cropped_print_holds_just_those_pixels(tmp_path: Path, ramp: Canvas) -> None:
    plan = PrintPlan(PrintTarget(10, 10, 127), Fit.FILL, centre=(1.0, 0.5))
    layout, _ = native(Size(80, 60), plan)
    pixels = written(tmp_path, ramp, PlacedPicture(layout))
    assert pixels.shape[:2] == (60, 60)
    assert (pixels[0, 0].tolist(), pixels[-1, -1].tolist()) == ([20, 0, 0], [79, 59, 0])


@pytest.mark.parametrize("edge", Edge)
def test_an_extended_print_keeps_the_picture_and_continues_from_it(
    tmp_path: Path, ramp: Canvas, edge: Edge
) -> None:
    target = PrintTarget(80, 60, 25.4, Bleed(5, 5, 5, 5))
    layout = lay_out(Size(80, 60), PrintPlan(target, Fit.EXTEND))
    pixels = written(tmp_path, ramp, PlacedPicture(layout, PrintPlan(edge=edge, colour="#0a141e")))
    assert pixels.shape == (70, 90, 3)
    inside = pixels[5:65, 5:85]
    assert (inside[..., 0] == np.arange(80)).all()
    assert (inside[..., 1] == np.arange(60)[:, None]).all()
    outside = pixels[30, :5]
    if edge is Edge.SOLID:
        assert (outside == (10, 20, 30)).all()
    elif edge is Edge.STRETCH:
        assert (outside == pixels[30, 5]).all()
    elif edge is Edge.MIRROR:
        assert outside[:, 0].tolist() == [4, 3, 2, 1, 0]
    else:
        assert np.abs(outside[:, 0].astype(int) - [4, 3, 2, 1, 0]).max() <= 3


def test_a_layout_for_another_size_is_refused(tmp_path: Path, ramp: Canvas) -> None:
    layout = lay_out(Size(80, 60), PrintPlan(PrintTarget(100, 100)))
    with pytest.raises(Refusal, match="this one has 80 × 60 px"):
        export(ramp, tmp_path / "x.png", placed=PlacedPicture(layout))
    assert not list(tmp_path.glob("x.png*"))


def test_how_far_a_file_is_written_is_reported(tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    np.save(tmp_path / "noise.npy", rng.integers(0, 65536, (2000, 2600, 3), dtype=np.uint16))
    fractions: list[float] = []
    with Canvas(tmp_path / "noise.npy") as canvas:
        export(canvas, tmp_path / "noise.tif", on_progress=fractions.append)
    assert fractions == sorted(fractions)
    assert len(set(fractions)) > 3
    assert fractions[-1] == pytest.approx(1, abs=0.05)


@pytest.mark.parametrize("file", ["tif", "png", "jpg", "pdf", "ora"])
def test_who_listens_can_end_the_writing_and_nothing_is_left(tmp_path: Path, file: str) -> None:
    rng = np.random.default_rng(4)
    np.save(tmp_path / "noise.npy", rng.integers(0, 65536, (1400, 1800, 3), dtype=np.uint16))
    received: list[float] = []

    def on_progress(fraction: float) -> None:
        received.append(fraction)
        raise Stopped

    with Canvas(tmp_path / "noise.npy") as canvas, pytest.raises(Stopped):
        export(canvas, tmp_path / f"noise.{file}", on_progress=on_progress)
    assert len(received) == 1
    assert [path.name for path in tmp_path.iterdir()] == ["noise.npy"]
