"""Shapes, wrapped sides, panels: geometry that is exact, and files that hold it."""

import json
import zipfile
from pathlib import Path

import numpy as np
import pikepdf
import PIL.Image
import pytest
from hypothesis import given
from hypothesis import strategies as st

from enamel.cli import main
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.export.placed import PlacedPicture, laid
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.printing.layout import BleedSource, Edge, Fit, PrintPlan, lay_out, native
from enamel.core.printing.page import page_of, panel_page, safe_box
from enamel.core.printing.panels import Split, panels
from enamel.core.printing.shapes import Direction, Fold, Shape, product_of, products
from enamel.core.printing.sizing import Bleed, PrintTarget
from tests.pictures import STATIONMASTER, part, whole

POINTS = 72 / 25.4


@pytest.fixture
def canvas(tmp_path: Path) -> Canvas:
    made = Canvas.create(tmp_path / "layer.npy", Box(0, 0, 300, 200), 3)
    made.write(made.region, whole(part(STATIONMASTER, Box(200, 200, 300, 200))))
    return made


# panels ---------------------------------------------------------------------------------------


@given(
    size=st.builds(Size, st.integers(50, 3000), st.integers(50, 3000)),
    ppi=st.floats(100, 300),
    width=st.floats(60, 400),
    height=st.floats(60, 400),
    overlap=st.floats(0, 25),
)
def test_panels_cover_the_print_and_share_just_the_overlap(
    size: Size, ppi: float, width: float, height: float, overlap: float
) -> None:
    parts = panels(size, ppi, Split(width, height, overlap))
    shared = round(overlap / 25.4 * ppi)
    covered = np.zeros((size.height, size.width), bool)
    for one in parts:
        assert Box.whole(size).contains(one.box)
        assert one.box.width <= max(1, round(width / 25.4 * ppi)) + 1
        assert one.box.height <= max(1, round(height / 25.4 * ppi)) + 1
        covered[one.box.slices] = True
    assert covered.all()
    for one, other in zip(parts, parts[1:], strict=False):
        if one.row == other.row:
            assert one.box.right - other.box.x == shared
    assert [(one.row, one.column) for one in parts] == sorted((p.row, p.column) for p in parts)


def test_a_print_that_is_not_split_is_one_panel_and_nonsense_is_refused() -> None:
    (only,) = panels(Size(300, 200), 300, Split())
    assert only.box == Box(0, 0, 300, 200)
    with pytest.raises(FieldRefusal, match="nothing is left"):
        Split(30, 200, 20)
    with pytest.raises(FieldRefusal, match="400 sheets"):
        panels(Size(60_000, 60_000), 100, Split(50, 50, 5))


# wrapped sides and edges ----------------------------------------------------------------------


def test_wrapped_sides_are_made_from_the_edge_of_the_front(tmp_path: Path, canvas: Canvas) -> None:
    target = PrintTarget(30, 20, 254, Bleed(1, 1, 1, 1), wrap_mm=4)
    plan = PrintPlan(target, Fit.FILL, beyond=BleedSource.EDGE, edge=Edge.MIRROR)
    layout, ppi = native(canvas.size, plan)
    assert (layout.file, layout.shown) == (Size(400, 300), Box(0, 0, 300, 200))
    assert (layout.left, layout.top, ppi) == (50, 50, 254)
    path = tmp_path / "wrap.png"
    export(canvas, path, output=Output(FileFormat.PNG), placed=PlacedPicture(layout, plan))
    pixels = np.asarray(PIL.Image.open(path))
    front = pixels[50:250, 50:350]
    np.testing.assert_array_equal(pixels[50:250, 49], front[:, 0])
    np.testing.assert_array_equal(pixels[50:250, 45], front[:, 4])
    page = page_of(plan, layout.file, 254)
    assert [way for way, _ in page.folds] == [
        Direction.DOWN,
        Direction.DOWN,
        Direction.ACROSS,
        Direction.ACROSS,
    ]
    assert [at for _, at in page.folds] == pytest.approx([5, 35, 5, 25])
    # the picture's own pixels go round where that is wanted
    own = lay_out(canvas.size, PrintPlan(target, Fit.FILL))
    assert own.shown.size == own.file == Size(400, 300)
    assert not own.extends


@pytest.mark.parametrize("beyond", list(BleedSource))
def test_a_filled_front_is_never_covered_by_less_than_the_picture(beyond: BleedSource) -> None:
    target = PrintTarget(50, 70, 100, Bleed(2, 3, 4, 5), wrap_mm=10)
    plan = PrintPlan(target, Fit.FILL, (0.2, 0.9), 1.3, beyond=beyond)
    layout = lay_out(Size(300, 200), plan)
    assert layout.file == target.pixels
    placed = Box(layout.left, layout.top, *layout.shown.size)
    front = Box(*(round(side / 25.4 * 100) for side in (15, 12, 50, 70)))
    if beyond is BleedSource.OWN:
        assert placed == Box.whole(layout.file)
    else:
        assert placed.intersection(front).area >= front.area * 0.97


# products -------------------------------------------------------------------------------------


def test_products_are_plain_files_that_can_be_added_to(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = [product.name for product in products()]
    assert len(names) == len(set(names)) >= 12
    assert {"Shirt", "Sticker", "Folded card"} <= {product.group for product in products()}
    monkeypatch.setenv("ENAMEL_PRODUCTS", str(tmp_path))
    form = {"name": "Tea tin label", "group": "Own", "width_mm": 220, "height_mm": 60, "bleed_mm": 2,
            "shape": {"safe_mm": 3, "folds": [{"way": "down", "at_mm": 110}]}}  # fmt: skip
    (tmp_path / "label.json").write_text(json.dumps(form))
    found = product_of("Tea tin label")
    assert found is not None
    assert found.shape.folds == (Fold(Direction.DOWN, 110.0),)
    (tmp_path / "label.json").write_text(json.dumps(form | {"width_mm": -3}))
    with pytest.raises(Refusal, match=r"label.json is no product.*width_mm"):
        products()


def test_folds_and_the_safe_area_lie_where_the_product_says() -> None:
    card = product_of("Folded card 210 × 148 mm")
    assert card is not None
    bleed = Bleed(*(card.bleed_mm,) * 4)
    plan = PrintPlan(PrintTarget(210, 148, 254, bleed), Fit.FILL, shape=card.shape)
    page = page_of(plan, plan.target.pixels, 254, marks=True)
    assert page.folds == ((Direction.DOWN, 108.0),)
    safe, trim = safe_box(page, plan), page.trim_box
    assert safe is not None
    assert safe == trim.inset(4)
    assert (trim.width, trim.height) == (pytest.approx(210), pytest.approx(148))
    marks = page.mark_lines()
    assert len(marks) == 10  # four corners with two each, and a fold's two
    assert all(not _inside(line, page.bleed_box) for line in marks)
    assert page_of(PrintPlan(shape=Shape(safe_mm=5)), Size(100, 100), 254).folds == ()


def _inside(line: tuple[float, ...], box: tuple[float, ...]) -> bool:
    x, y = (line[0] + line[2]) / 2, (line[1] + line[3]) / 2
    return box[0] < x < box[2] and box[1] < y < box[3]


# files of panels ------------------------------------------------------------------------------

SPLIT = PrintPlan(
    PrintTarget(60, 40, 127.0, Bleed(3, 3, 3, 3)), Fit.FILL, split=Split(30, 50, 5)
)  # fmt: skip


def test_a_split_pdf_has_a_plan_and_a_page_for_each_panel(tmp_path: Path, canvas: Canvas) -> None:
    settings = PrintSettings(Output(FileFormat.PDF, quality=100, marks=True), SPLIT)
    placed, ppi, size = laid(settings, canvas.size)
    path = tmp_path / "print.pdf"
    export(
        canvas, path, ppi=ppi, output=settings.output, placed=placed, says={"dc:title": "Emblem"}
    )
    parts = panels(size, ppi, SPLIT.split)
    assert len(parts) == 3
    with pikepdf.open(path) as pdf:
        assert len(pdf.pages) == 1 + len(parts)
        for page, part in zip(list(pdf.pages)[1:], parts, strict=True):
            image = page.resources.XObject.Im0
            assert (int(image.Width), int(image.Height)) == part.box.size
            width = float(page.bleedbox[2]) - float(page.bleedbox[0])
            assert width == pytest.approx(part.box.width / ppi * 72, abs=0.01)
            assert b"/La0 Do" in page.Contents.read_bytes()
        # only the outer sides are cut
        first = pdf.pages[1]
        left = float(first.trimbox[0]) - float(first.bleedbox[0])
        right = float(first.bleedbox[2]) - float(first.trimbox[2])
        assert left == pytest.approx(3 * POINTS, abs=0.01)
        assert right == pytest.approx(0, abs=0.01)


def test_a_split_picture_is_a_zip_whose_parts_are_the_whole(tmp_path: Path, canvas: Canvas) -> None:
    settings = PrintSettings(Output(FileFormat.PNG), SPLIT)
    assert (settings.suffix, settings.media_type) == (".zip", "application/zip")
    placed, ppi, size = laid(settings, canvas.size)
    whole_path, path = tmp_path / "whole.png", tmp_path / "print.png"
    export(canvas, path, ppi=ppi, output=settings.output, placed=placed)
    assert placed is not None
    unsplit = PlacedPicture(placed.layout, PrintPlan(SPLIT.target, Fit.FILL))
    export(canvas, whole_path, ppi=ppi, output=settings.output, placed=unsplit)
    pixels = np.asarray(PIL.Image.open(whole_path))
    with zipfile.ZipFile(path) as archive:
        assert archive.testzip() is None
        parts = panels(size, ppi, SPLIT.split)
        names = [f"row-{one.row}-column-{one.column}.png" for one in parts]
        assert archive.namelist() == [*names, "plan.pdf"]
        for name, one in zip(names, parts, strict=True):
            with archive.open(name) as file, PIL.Image.open(file) as image:
                assert image.info["dpi"] == pytest.approx((ppi, ppi), abs=0.5)
                np.testing.assert_array_equal(np.asarray(image), pixels[one.box.slices])
    assert not list(tmp_path.glob("*.panel"))


def test_a_panels_page_keeps_the_folds_that_cross_it() -> None:
    target = PrintTarget(60, 40, 127.0, Bleed(3, 3, 3, 3), wrap_mm=5)
    plan = PrintPlan(target, Fit.FILL, split=Split(40, 60, 5))
    whole_page = page_of(plan, target.pixels, 127)
    pages = [
        panel_page(one, whole_page, 127, "x") for one in panels(target.pixels, 127, plan.split)
    ]
    down = [sum(way is Direction.DOWN for way, _ in page.folds) for page in pages]
    assert down == [1, 0, 1]
    assert all(sum(way is Direction.ACROSS for way, _ in page.folds) == 2 for page in pages)


def test_the_command_wants_a_name_that_says_it_is_split(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    settings = tmp_path / "print.json"
    settings.write_text(json.dumps(PrintSettings(plan=SPLIT).to_json()))
    command = ["print", str(STATIONMASTER)]
    assert main([*command, str(tmp_path / "x.tif"), "--settings", str(settings)]) == 2
    assert "name it x.tif.zip, or x.pdf" in capsys.readouterr().err
    assert main([*command, str(tmp_path / "x.png.zip")]) == 2
    assert "name it x.png" in capsys.readouterr().err
    out = tmp_path / "x.tif.zip"
    assert main([*command, str(out), "--settings", str(settings)]) == 0
    with zipfile.ZipFile(out) as archive:
        assert archive.namelist()[0] == "row-1-column-1.tif"
