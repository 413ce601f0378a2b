"""Print files in the kiln: layers in one file, test strips, proofs, what is known before printing."""

import io
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
import pyvips
from django.conf import settings as site

from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.fields import to_json
from enamel.core.finishing.recipe import Finish, Sharpen
from enamel.core.geometry import Box, Size
from enamel.core.imaging.buffer import PixelBuffer
from enamel.core.masks import Mask
from enamel.core.masks.steps import Ellipse, Feather
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import Patch, TouchUp
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.panels import Split
from enamel.core.printing.paper import PaperStock
from enamel.core.printing.proof import Proof, proofed
from enamel.core.printing.sizing import Bleed, PrintTarget
from enamel.firings import services as firings
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from enamel.prints import layered, proofing, strips
from enamel.prints import services as prints
from enamel.prints.models import PrintFile
from enamel.prints.strips import Strip
from enamel.swatches.models import Swatch, SwatchSheet
from tests.core.test_layered_files import composed, read_ora
from tests.layers import enlarged, layer_of
from tests.workers import carry_out

pytestmark = pytest.mark.django_db
WHOLE = PrintSettings(Output(FileFormat.PNG), None, 254)


def pixels_of(layer: Layer) -> np.ndarray:
    with canvas_of(layer) as canvas:
        return canvas.read(Box.whole(layer.size))


def carried_out(firing: object) -> Layer:
    assert carry_out(firing)  # type: ignore[attr-defined]
    firing.refresh_from_db()  # type: ignore[attr-defined]
    assert firing.result is not None, firing.error  # type: ignore[attr-defined]
    return firing.result  # type: ignore[attr-defined]


def written(made: PrintFile) -> PrintFile:
    carry_out(made)
    made.refresh_from_db()
    assert made.state == PrintFile.State.DONE, made.error
    return made


@pytest.fixture
def coat(piece: Piece, tmp_path: Path) -> Layer:
    return layer_of(piece, enlarged(pixels_of(piece.base)), tmp_path, checked=False)


def spot(layer: Layer, x: float) -> Mask:
    return Mask(layer.size, (Ellipse(x, 80, 40, 30), Feather(12)))


# layers in one file ---------------------------------------------------------------------------


@pytest.mark.parametrize("several", [False, True])
def test_a_pieces_layers_laid_over_each_other_elsewhere_are_its_newest(
    piece: Piece, coat: Layer, several: bool
) -> None:
    inlays = [Inlay(piece.base.sha256, spot(coat, 90), opacity=0.7)]
    if several:
        inlays.append(Inlay(piece.base.sha256, spot(coat, 150), opacity=0.4))
    top = carried_out(firings.enqueue_inlays(coat, tuple(inlays)))
    made = written(prints.order(top, PrintSettings(Output(FileFormat.OPENRASTER))))
    assert made.name.endswith(".ora")
    facts, layers = read_ora(Path(made.file.path))
    assert (facts["w"], facts["h"]) == (str(top.width), str(top.height))
    names = [one["name"] for one, _ in layers]
    assert names[0].startswith("Base 112 × 88")
    assert names[1].startswith("Coat 224 × 176, seed")
    assert names[2].startswith("Inlay")
    assert layers[2][0]["opacity"] == ("1" if several else "0.7")
    assert layers[2][1].shape[0] < top.height
    wanted = pixels_of(top) / 257
    assert np.abs(composed(layers[:3], top.size) - wanted).max() <= 2


def test_a_touch_ups_layer_is_its_patches_through_their_masks(coat: Layer) -> None:
    patches = tuple(Patch(spot(coat, x), working=128) for x in (60.0, 90.0))
    coat.kind = Layer.Kind.TOUCH_UP
    coat.recipe = {"touch_up": to_json(TouchUp(patches))}
    coverage, opacity = layered.mask_of(coat, Size(448, 352))
    assert coverage is not None
    assert opacity == 1.0
    fraction = coverage.read(Box(0, 0, 448, 352))
    assert fraction[160, 120] > 0.99
    assert fraction[160, 180] > 0.99
    assert fraction[10, 10] == 0
    assert coverage.bounds.width < 448


# test strips ----------------------------------------------------------------------------------


def test_a_strip_holds_the_same_crop_of_each_at_its_true_size(piece: Piece, coat: Layer) -> None:
    strip = Strip((f"layer:{piece.base.pk}", f"layer:{coat.pk}"), 0.5, 0.4, 12, 10)
    made = written(prints.order_strip(coat, strip, WHOLE))
    assert made.name == "eye-strip-120x100.png"
    with PIL.Image.open(made.file.path) as image:
        assert image.info["dpi"] == pytest.approx((254, 254), abs=0.5)
        assert image.size == (made.width, made.height)
        sheet = np.asarray(image).astype(int)
    crop = strips.crop_of(coat, strip, WHOLE)
    assert crop.size == (120, 100)
    own = np.rint(pixels_of(coat)[crop.slices] / 257).astype(int)
    gap = 30  # 3 mm
    top = next(y for y in range(40, 140)
               if (sheet[y : y + 100, 2 * gap + 120 : 2 * gap + 240] == own).all())  # fmt: skip
    # the base beside it is the same place, enlarged; greys stand below
    base = sheet[top : top + 100, gap : gap + 120]
    assert np.abs(base - own).mean() < 8
    below = sheet[top + 100 :].reshape(-1, 3)
    for grey in (0, 128, 255):
        assert (below == grey).all(axis=1).sum() > 400


def test_a_swatch_is_on_a_strip_where_it_reaches_over_the_crop(piece: Piece, coat: Layer) -> None:
    window = Box(60, 40, 130, 110)
    sheet = SwatchSheet.objects.create(
        piece=piece, start=piece.base, window=[60, 40, 130, 110],
        schedule={"coats": [coat.recipe["coat"]]},
    )  # fmt: skip
    assert sheet.size == coat.size
    swatch = Swatch.objects.create(
        sheet=sheet,
        row=0,
        column=0,
        coat=coat.recipe["coat"],
        content_key="x",
        state=Swatch.State.DONE,
    )
    buffer = io.BytesIO()
    np.save(buffer, pixels_of(coat)[window.slices])
    swatch.pixels.save("swatch.npy", io.BytesIO(buffer.getvalue()))
    names = (f"layer:{coat.pk}", f"swatch:{swatch.pk}")
    inside = Strip(names, 125 / 224, 95 / 176, 12, 10)
    made = written(prints.order_strip(coat, inside, WHOLE))
    sheet_pixels = np.asarray(PIL.Image.open(made.file.path)).astype(int)
    left, right = sheet_pixels[:, 30:150], sheet_pixels[:, 180:300]
    rows = [y for y in range(40, 160) if (left[y : y + 100] == right[y : y + 100]).all()]
    assert rows
    with pytest.raises(Refusal, match="does not reach over the whole crop"):
        prints.order_strip(coat, replace(inside, across=0.2), WHOLE)
    with pytest.raises(Refusal, match="not there any more"):
        prints.order_strip(coat, replace(inside, sources=("swatch:99999999",)), WHOLE)
    with pytest.raises(FieldRefusal, match="Choose 1 to"):
        prints.order_strip(coat, replace(inside, sources=()), WHOLE)
    with pytest.raises(FieldRefusal, match="holds no strip"):
        prints.order_strip(coat, inside, PrintSettings(Output(FileFormat.SVG)))


# proofs ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("level", [8, 7, 4])
def test_a_tile_is_that_part_of_the_proof_of_the_whole(coat: Layer, level: int) -> None:
    proof = Proof("coated", white=True, paper=PaperStock.MATTE, distance_mm=600, ppi=254)
    png = proofing.tile(coat, level, 0, 0, proof)
    assert png is not None
    seen = pyvips.Image.new_from_buffer(png, "").numpy()
    if level == 8:  # its own pixels
        rounded = (np.rint(pixels_of(coat) / 257) * 257).astype(np.uint16)
        wanted = proofed(PixelBuffer.of_samples(rounded), proof)
        np.testing.assert_array_equal(seen, wanted.image.numpy())
    assert seen.shape[1] == -(-224 // 2 ** (8 - level))
    for nowhere in ((level, 1, 0), (level, -1, 0), (9, 0, 0), (-1, 0, 0)):
        assert proofing.tile(coat, *nowhere, proof) is None


def test_the_picture_on_its_sheet_is_laid_as_the_file_is(coat: Layer) -> None:
    plan = PrintPlan(PrintTarget(20, 20, 254, Bleed(2, 2, 2, 2)), Fit.EXTEND)
    small = pyvips.Image.new_from_buffer(proofing.laid_picture(coat, plan), "")
    assert small.width == small.height
    whole = pyvips.Image.new_from_buffer(proofing.laid_picture(coat, None), "")
    assert (whole.width, whole.height) == coat.size


def test_what_is_known_of_a_layer_before_it_is_printed(piece: Piece, coat: Layer) -> None:
    wanted = PrintSettings(Output(profile="coated", paper=PaperStock.MATTE))
    known = proofing.known_of(coat, wanted)
    assert known.newest
    assert (known.sharpened, known.joins) == (False, None)
    assert known.ink is not None
    assert 0 <= known.out_of_gamut <= 1  # type: ignore[operator]
    finished = carried_out(firings.enqueue_finish(coat, Finish(sharpen=Sharpen(on=True))))
    assert not proofing.known_of(coat, wanted).newest
    later = proofing.known_of(finished, wanted)
    assert later.newest
    assert later.sharpened
    assert later.joins == 0


def test_a_face_counts_as_unrefined_until_a_touch_up_covers_it(
    piece: Piece, coat: Layer, monkeypatch: pytest.MonkeyPatch
) -> None:
    piece.faces_kept = [[40, 22, 30, 36, 0]]
    piece.save(update_fields=["faces_kept"])
    coat.piece.refresh_from_db()
    assert proofing.known_of(coat, WHOLE).faces == 1  # 36 px from brow to chin is little
    mended = Layer.objects.get(pk=coat.pk)
    mended.kind, mended.recipe = Layer.Kind.TOUCH_UP, {"places": [[0.3, 0.2, 0.4, 0.6]]}
    assert proofing.known_of(mended, WHOLE).faces == 0


# put out --------------------------------------------------------------------------------------


def test_files_are_put_into_the_workshops_folder_and_never_over_others(
    piece: Piece, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = written(prints.order(piece.base, WHOLE))
    with pytest.raises(Refusal, match="ENAMEL_PRINT_FOLDER"):
        prints.publish(made)
    monkeypatch.setattr(site, "PRINT_FOLDER", tmp_path / "out")
    assert [prints.publish(made) for _ in range(2)] == [made.name, made.name.replace(".", "-2.")]
    for path in (tmp_path / "out").iterdir():
        assert path.read_bytes() == Path(made.file.path).read_bytes()
    prints.publish_and_note(made)
    made.refresh_from_db()
    assert made.note.startswith(f"Put into {tmp_path / 'out'} as eye-base-112x88-3.png")
    (tmp_path / "file").write_text("")
    monkeypatch.setattr(site, "PRINT_FOLDER", tmp_path / "file")
    prints.publish_and_note(made)
    made.refresh_from_db()
    assert "could not be put into" in made.note


def test_a_split_print_is_a_zip_and_says_how_many_sheets(piece: Piece, coat: Layer) -> None:
    plan = PrintPlan(PrintTarget(200, 150, 254), Fit.FILL)
    split = PrintSettings(Output(FileFormat.TIFF), replace(plan, split=Split(110, 200, 8)))
    predicted_text = prints.predicted(coat, split, "{title}")
    assert (predicted_text.sheets, predicted_text.name) == (2, "eye.zip")
    made = written(prints.order(coat, split, "{title}"))
    with zipfile.ZipFile(made.file.path) as archive:
        assert archive.namelist() == ["row-1-column-1.tif", "row-1-column-2.tif", "plan.pdf"]
