"""OpenRaster and traced curves: opened again by readers of their own, and compared with the picture."""

import io
import xml.etree.ElementTree as tree
import zipfile
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
import pyvips
from hypothesis import given
from hypothesis import strategies as st

from enamel.cli import main
from enamel.core.errors import Refusal
from enamel.core.export import trace
from enamel.core.export.file import export
from enamel.core.export.openraster import StackedLayer, unmixed, write_openraster
from enamel.core.export.output import FileFormat, Output
from enamel.core.export.trace import posterised, write_trace
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas, Pixels, SampleArray
from enamel.core.intake.metadata import carried_text
from enamel.core.masks import RenderedMask
from enamel.core.masks.coverage import Union, WithOpacity
from enamel.core.masks.steps import Ellipse, Feather, Mask
from tests.pictures import DEMO, STATIONMASTER, part, portrait, whole

SIZE = (160, 120)


@pytest.fixture
def below() -> Pixels:
    return part(STATIONMASTER, Box(220, 300, *SIZE))


def spot(below: Pixels) -> RenderedMask:
    oval = Ellipse(80.0, 60.0, 30.0, 20.0)
    return RenderedMask(Mask(SIZE, (oval, Feather(6.0))), below.size)


def canvas_of(samples: SampleArray, folder: Path, name: str = "layer") -> Canvas:
    made = Canvas.create(folder / f"{name}.npy", Box(0, 0, *samples.shape[1::-1]), samples.shape[2])
    made.write(made.region, samples)
    return made


def read_ora(path: Path) -> tuple[dict[str, str], list[tuple[dict[str, str], np.ndarray]]]:
    """Facts of the image and its layers from the lowest up, as any reader of the format finds them."""
    with zipfile.ZipFile(path) as archive:
        assert archive.infolist()[0].filename == "mimetype"
        assert archive.infolist()[0].compress_type == zipfile.ZIP_STORED
        assert archive.read("mimetype") == b"image/openraster"
        image = tree.fromstring(archive.read("stack.xml"))
        layers = []
        for element in reversed(image.findall("./stack/layer")):
            with PIL.Image.open(io.BytesIO(archive.read(element.attrib["src"]))) as opened:
                layers.append((element.attrib, np.asarray(opened.convert("RGBA")).astype(float)))
        thumbnail = PIL.Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
        assert max(thumbnail.size) <= 256
        merged = PIL.Image.open(io.BytesIO(archive.read("mergedimage.png")))
        layers.append(({"name": "merged"}, np.asarray(merged.convert("RGBA")).astype(float)))
        return image.attrib, layers


def composed(layers: list[tuple[dict[str, str], np.ndarray]], size: tuple[int, int]) -> np.ndarray:
    made = np.zeros((size[1], size[0], 3))
    for facts, pixels in layers:
        x, y = int(facts["x"]), int(facts["y"])
        height, width = pixels.shape[:2]
        fraction = pixels[..., 3:] / 255 * float(facts["opacity"])
        place = made[y : y + height, x : x + width]
        place += (pixels[..., :3] - place) * fraction
    return made


def test_layers_laid_over_each_other_elsewhere_give_the_picture(
    tmp_path: Path, below: Pixels
) -> None:
    mask, old = spot(below), whole(below).astype(float)
    fraction = mask.read(Box(0, 0, *SIZE))[..., None]
    fresh = np.clip(old[:, ::-1] * 0.8 + 9000, 0, 65535)
    mixed = np.rint(old + (fresh - old) * fraction * 0.6).astype(np.uint16)
    path = tmp_path / "piece.ora"
    stack = [StackedLayer("Base", below), StackedLayer("Inlay", Pixels(mixed), below, mask, 0.6)]
    write_openraster(path, stack, ppi=254, says={"dc:title": "Eye"})
    facts, layers = read_ora(path)
    assert (facts["w"], facts["h"], facts["xres"]) == ("160", "120", "254")
    (base, base_pixels), (inlay, inlay_pixels), (_, merged) = layers
    assert (base["name"], inlay["name"], inlay["opacity"]) == ("Base", "Inlay", "0.6")
    # only the masked part is there, with its mask as alpha, and its colours are not mixed yet
    assert inlay_pixels.shape[:2] == (mask.bounds.height, mask.bounds.width)
    inside = inlay_pixels[..., 3] > 60
    wanted = (fresh / 257)[mask.bounds.slices]
    assert np.abs(inlay_pixels[..., :3] - wanted)[inside].max() <= 1.5
    np.testing.assert_array_equal(base_pixels[..., :3], np.rint(old / 257))
    np.testing.assert_array_equal(merged[..., :3], np.rint(mixed / 257))
    assert np.abs(composed(layers[:2], SIZE) - merged[..., :3]).max() <= 1.5


@given(
    seed=st.integers(0, 99),
    fraction=st.floats(0.05, 1),
)
def test_unmixing_undoes_mixing(seed: int, fraction: float) -> None:
    rng = np.random.default_rng(seed)
    under, over = rng.integers(0, 65536, (2, 6, 7, 3), dtype=np.uint16)
    fractions = np.full((6, 7), fraction, np.float32)
    fractions[0] = 0
    mixed = np.rint(under + (over.astype(float) - under) * fractions[..., None]).astype(np.uint16)
    found = unmixed(under, mixed, fractions)
    np.testing.assert_array_equal(found[0], under[0])
    assert np.abs(found[1:].astype(float) - over[1:]).max() <= 0.5 / fraction + 2


def test_masks_over_each_other_and_thinned_cover_what_they_should(below: Pixels) -> None:
    one, box = spot(below), Box(0, 0, *SIZE)
    other = RenderedMask(Mask(SIZE, (Ellipse(120.0, 60.0, 30.0, 20.0),)), below.size)
    a, b = one.read(box), other.read(box)
    both = Union(one, WithOpacity(other, 0.5))
    np.testing.assert_allclose(both.read(box), 1 - (1 - a) * (1 - b / 2), atol=1e-6)
    assert both.bounds.contains(one.bounds)
    assert both.bounds.contains(other.bounds)


def test_a_smaller_layer_is_enlarged_and_sixteen_bits_stay(tmp_path: Path) -> None:
    small, large = portrait(60, 50), whole(part(STATIONMASTER, Box(200, 200, 120, 100)))
    canvas = canvas_of(large, tmp_path)
    path = tmp_path / "piece.ora"
    output = Output(FileFormat.OPENRASTER, 16)
    export(canvas, path, output=output, stack=[StackedLayer("Base", small), StackedLayer("Coat", canvas)],
           says={"dc:title": "a stationmaster"})  # fmt: skip
    with zipfile.ZipFile(path) as archive:
        image = pyvips.Image.new_from_buffer(archive.read("data/layer1.png"), "")
        np.testing.assert_array_equal(image.numpy(), large)
        merged = archive.read("mergedimage.png")
    assert read_ora(path)[1][0][1].shape == (100, 120, 4)
    assert "a stationmaster" in carried_text(PIL.Image.open(io.BytesIO(merged)))["XMP"]
    assert sorted(one.name for one in tmp_path.iterdir()) == ["layer.npy", "piece.ora"]


# traces ---------------------------------------------------------------------------------------


def emblem(folder: Path, side: int = 400) -> Canvas:
    with PIL.Image.open(DEMO / "emblem.truth.jpg") as image:
        small = np.asarray(image.convert("RGB").resize((side, side), PIL.Image.Resampling.LANCZOS))
    return canvas_of(small.astype(np.uint16) * 257, folder)


def test_a_traced_emblem_drawn_again_is_the_emblem(tmp_path: Path) -> None:
    canvas, path = emblem(tmp_path), tmp_path / "emblem.svg"
    traced = write_trace(canvas, path, ppi=254, colours=12, says={"dc:title": "Kestrel & Vale"})
    assert 4 <= traced.colours <= 12
    assert 500 < traced.nodes < 25_000
    assert traced.alike > 0.75
    assert f"{traced.nodes:,} nodes" in traced.sentence
    text = path.read_text()
    drawing = tree.fromstring(text)
    assert (drawing.get("width"), drawing.get("viewBox")) == ("40.000mm", "0 0 1500 1500")
    assert "Kestrel &amp; Vale" in text
    # drawn at three times the size it is as sharp as curves are, and still the emblem
    large = pyvips.Image.svgload(str(path), scale=1200 / (40 / 25.4 * 72)).flatten(background=255)
    assert large.width == pytest.approx(1200, abs=1)
    back = large.thumbnail_image(400).numpy()[..., :3].astype(float)
    own = canvas.read(canvas.region) / 257
    assert np.abs(back - own).mean() < 6


def test_few_colours_are_those_of_the_flat_places() -> None:
    flat = np.zeros((60, 90, 3), np.uint8)
    flat[:, :30], flat[:, 30:60], flat[:, 60:] = (20, 54, 111), (244, 241, 232), (196, 49, 31)
    soft = np.asarray(PIL.Image.fromarray(flat).resize((180, 120), PIL.Image.Resampling.BILINEAR))
    made, count = posterised(soft, 12)
    assert count == 3
    found = {tuple(map(int, one)) for one in np.unique(made.reshape(-1, 3), axis=0)}
    for wanted in ((20, 54, 111), (244, 241, 232), (196, 49, 31)):
        assert min(max(abs(a - b) for a, b in zip(wanted, one, strict=True)) for one in found) <= 2


def test_a_photograph_is_no_flat_art(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(trace, "MOST_NODES", 2_000)  # so that a small one is too much
    rng = np.random.default_rng(3)
    canvas = canvas_of(rng.integers(0, 65536, (36, 36, 3), dtype=np.uint16), tmp_path)
    with pytest.raises(Refusal, match="no flat art"):
        export(canvas, tmp_path / "x.svg", output=Output(FileFormat.SVG, speckle=0))
    assert not (tmp_path / "x.svg").exists()


def test_the_command_writes_layers_and_curves(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    picture = str(DEMO / "emblem.png")
    assert main(["print", picture, str(tmp_path / "out.ora")]) == 0
    assert read_ora(tmp_path / "out.ora")[0]["w"] == "640"
    assert main(["print", picture, str(tmp_path / "out.svg")]) == 0
    assert "nodes; drawn again" in capsys.readouterr().out
