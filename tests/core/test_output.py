"""Print files: kinds, colours, sharpening, names; opened again with other libraries."""

import io
import json
from pathlib import Path

import jsonschema
import numpy as np
import PIL.Image
import PIL.ImageCms
import pytest
import pyvips
import tifffile
from hypothesis import given
from hypothesis import strategies as st

from enamel.cli import main
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.export.file import estimated_bytes, export
from enamel.core.export.naming import PLACES, USUAL, NameFields, named
from enamel.core.export.output import (
    UNPRINTED,
    Compression,
    FileFormat,
    Output,
    PrintSettings,
    print_schema,
)
from enamel.core.export.placed import laid
from enamel.core.geometry import Box
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.metadata import carried_text
from enamel.core.printing import profiles
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.paper import PaperStock, reason, sharpening
from enamel.core.printing.profiles import Intent, profile_names, profile_of, total_ink
from enamel.core.printing.sizing import PrintTarget
from tests.pictures import STATIONMASTER, part, portrait, whole

PUBLISHED = Path(__file__).parents[2] / "docs" / "reference" / "print.schema.json"
INTENTS = {Intent.PERCEPTUAL: 0, Intent.RELATIVE: 1, Intent.SATURATION: 2, Intent.ABSOLUTE: 3}


@pytest.fixture
def canvas(tmp_path: Path) -> Canvas:
    samples = whole(part(STATIONMASTER, Box(200, 200, 300, 240)))
    made = Canvas.create(tmp_path / "layer.npy", Box(0, 0, 300, 240), 3)
    made.write(made.region, samples)
    return made


def written(canvas: Canvas, folder: Path, output: Output, **more: object) -> PIL.Image.Image:
    path = folder / f"print{output.file.suffix}"
    export(canvas, path, output=output, **more)  # type: ignore[arg-type]
    with PIL.Image.open(path) as image:
        image.load()
        return image


def eight(canvas: Canvas) -> np.ndarray:
    return np.rint(canvas.read(canvas.region) / 257).astype(np.uint8)


PICTURES = [kind for kind in FileFormat if kind not in (FileFormat.PDF, *UNPRINTED)]


@pytest.mark.parametrize("file", PICTURES)
def test_every_kind_opens_elsewhere_with_its_size_colours_and_words(
    canvas: Canvas, tmp_path: Path, file: FileFormat
) -> None:
    says = {"dc:title": "a stationmaster"}
    image = written(canvas, tmp_path, Output(file, quality=100), ppi=254, says=says)
    assert image.size == (300, 240)
    off = np.abs(np.asarray(image.convert("RGB")).astype(int) - eight(canvas))
    assert off.max() == 0 if file in (FileFormat.PNG, FileFormat.TIFF) else off.mean() < 3
    assert image.info["icc_profile"] == profile_of("srgb").data
    assert "a stationmaster" in carried_text(image).get("XMP", "")
    if file not in (FileFormat.WEBP, FileFormat.AVIF):  # which have no resolution
        assert image.info["dpi"] == pytest.approx((254, 254), abs=0.5)


@pytest.mark.parametrize("file", PICTURES)
def test_what_is_stripped_says_nothing_but_size_and_colours(
    canvas: Canvas, tmp_path: Path, file: FileFormat
) -> None:
    says = {"dc:title": "a stationmaster", "Iptc4xmpExt:AIPromptInformation": "wool"}
    written(canvas, tmp_path, Output(file, metadata=False), says=says)
    data = (tmp_path / f"print{file.suffix}").read_bytes()
    assert b"stationmaster" not in data
    assert b"wool" not in data
    assert not pyvips.Image.new_from_buffer(data, "").get_typeof("xmp-data")


@pytest.mark.parametrize("compression", list(Compression))
@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("tiled", [False, True])
def test_a_tiff_is_packed_as_asked_and_loses_nothing(
    canvas: Canvas, tmp_path: Path, compression: Compression, bits: int, tiled: bool
) -> None:
    path = tmp_path / "print.tif"
    export(canvas, path, output=Output(FileFormat.TIFF, bits, compression, tiled))
    image = pyvips.Image.new_from_file(str(path))
    wanted = canvas.read(canvas.region) if bits == 16 else eight(canvas)
    np.testing.assert_array_equal(image.numpy(), wanted)
    with PIL.Image.open(path) as opened:
        codes = {Compression.NONE: 1, Compression.LZW: 5, Compression.ZIP: (8, 32946)}
        assert opened.tag_v2[259] in np.atleast_1d(codes[compression])  # type: ignore[attr-defined]
        assert (322 in opened.tag_v2) == tiled  # type: ignore[attr-defined]


@pytest.mark.parametrize("tiled", [False, True])
def test_a_tiffs_tags_say_what_it_is(canvas: Canvas, tmp_path: Path, tiled: bool) -> None:
    path = tmp_path / "print.tif"
    output = Output(FileFormat.TIFF, 16, Compression.NONE, tiled, profile="coated")
    export(canvas, path, ppi=254, output=output, says={"dc:title": "a stationmaster"})
    with tifffile.TiffFile(path) as file:
        page = file.pages.first
        tags = {tag.name: tag.value for tag in page.tags}
        assert (page.photometric.name, page.bitspersample, page.samplesperpixel) == (
            "SEPARATED",
            16,
            4,
        )
        assert page.compression.name == "NONE"
        assert page.is_tiled == tiled
        assert (tags["XResolution"], tags["ResolutionUnit"].name) == ((254, 1), "INCH")
        assert tags["InterColorProfile"] == profile_of("coated").data
        assert b"a stationmaster" in tags["XMP"]
        pixels = page.asarray()
    np.testing.assert_array_equal(pixels, pyvips.Image.new_from_file(str(path)).numpy())


@pytest.mark.parametrize("intent", list(Intent))
@pytest.mark.parametrize("profile", ["coated", "grey", "wide-rgb"])
def test_colours_are_those_of_littlecms(
    canvas: Canvas, tmp_path: Path, profile: str, intent: Intent
) -> None:
    image = written(canvas, tmp_path, Output(profile=profile, intent=intent))
    mode = {ColourSpace.CMYK: "CMYK", ColourSpace.GREY: "L", ColourSpace.RGB: "RGB"}[
        profile_of(profile).space
    ]
    assert image.mode == mode
    assert image.info["icc_profile"] == profile_of(profile).data
    flags = PIL.ImageCms.Flags.BLACKPOINTCOMPENSATION
    there = PIL.ImageCms.ImageCmsProfile(io.BytesIO(profile_of(profile).data))
    transform = PIL.ImageCms.buildTransform(
        PIL.ImageCms.ImageCmsProfile(io.BytesIO(profile_of("srgb").data)), there, "RGB", mode,
        renderingIntent=PIL.ImageCms.Intent(INTENTS[intent]), flags=flags,
    )  # fmt: skip
    wanted = PIL.ImageCms.applyTransform(PIL.Image.fromarray(eight(canvas)), transform)
    assert wanted is not None
    off = np.abs(np.asarray(image).astype(int) - np.asarray(wanted).astype(int))
    assert off.max() <= 1


def test_a_cmyk_jpeg_is_the_cmyk_tiff_compressed(canvas: Canvas, tmp_path: Path) -> None:
    tiff = written(canvas, tmp_path, Output(profile="coated"))
    path = tmp_path / "print.jpg"
    export(canvas, path, output=Output(FileFormat.JPEG, profile="coated", quality=100))
    jpeg = pyvips.Image.new_from_file(str(path))
    assert (jpeg.interpretation, jpeg.bands) == ("cmyk", 4)
    assert np.abs(jpeg.numpy().astype(int) - np.asarray(tiff)).mean() < 2
    file = pyvips.Image.new_from_file(str(tmp_path / "print.tif"))
    ink = total_ink(PixelBuffer(file, ColourSpace.CMYK, 8))
    assert 200 < ink <= 305  # the profile was made for 300 %


def test_transparency_stays_where_a_kind_holds_it(tmp_path: Path) -> None:
    samples = whole(portrait())
    alpha = np.zeros((*samples.shape[:2], 1), np.uint16)
    alpha[:, 50:] = 65535
    canvas = Canvas.create(tmp_path / "layer.npy", Box(0, 0, *portrait().size), 4)
    canvas.write(canvas.region, np.concatenate([samples, alpha], axis=2))
    for file in (FileFormat.PNG, FileFormat.TIFF, FileFormat.WEBP, FileFormat.AVIF):
        image = np.asarray(written(canvas, tmp_path, Output(file)).convert("RGBA"))
        assert image[:, :48, 3].max() < 12, file
        assert image[:, 52:, 3].min() > 243, file
    for output in (Output(FileFormat.JPEG), Output(profile="coated")):
        image = np.asarray(written(canvas, tmp_path, output).convert("RGB"))
        assert image[:, :40].min() > 245, output.file


def test_a_screen_copy_is_reduced_and_marked(canvas: Canvas, tmp_path: Path) -> None:
    settings = PrintSettings(Output(FileFormat.WEBP, longest=150, preview=True))
    placed, ppi, size = laid(settings, canvas.size)
    assert (placed, ppi, size) == (None, 150, (150, 120))
    assert written(canvas, tmp_path, settings.output).size == size
    name = named(USUAL, NameFields("Night mail", "coat", *size), settings.output)
    assert name == "Night_mail-coat-150x120-preview.webp"


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"bits": 12}, "8 or 16"),
        ({"file": "png", "profile": "coated"}, "PNG holds no CMYK"),
        ({"file": "avif", "profile": "wide-rgb"}, "AVIF has sRGB colours"),
        ({"profile": "gold"}, "no colour profile “gold”"),
        ({"profile": "../../etc/passwd"}, "no colour profile"),
        ({"quality": 5}, "quality"),
        ({"file": "bmp"}, "one of"),
    ],
)
def test_what_can_not_be_written_is_refused(given: dict[str, object], words: str) -> None:
    with pytest.raises(Refusal, match=words):
        PrintSettings.from_json({"output": given})


@pytest.mark.parametrize("file", [*PICTURES, FileFormat.PDF])
def test_the_size_is_estimated(canvas: Canvas, tmp_path: Path, file: FileFormat) -> None:
    output = Output(file)
    path = tmp_path / f"print{file.suffix}"
    export(canvas, path, output=output)
    guess = estimated_bytes(canvas, canvas.size, output, 300)
    assert guess == pytest.approx(path.stat().st_size, rel=0.35)


# paper ----------------------------------------------------------------------------------------


def test_paper_asks_for_more_sharpening_the_more_its_ink_spreads(
    canvas: Canvas, tmp_path: Path
) -> None:
    steps = [sharpening(paper, 300) for paper in list(PaperStock)[1:]]
    assert all(steps)
    radii = [step.radius for step in steps if step]
    assert radii == sorted(radii)
    assert sharpening(PaperStock.NONE, 300) is None
    assert sharpening(PaperStock.GLOSSY, 150) is None
    assert "less than a pixel" in reason(PaperStock.GLOSSY, 150)
    assert "0.8 px at 300 ppi" in reason(PaperStock.MATTE, 300)
    plain, canvas_like = (
        np.asarray(written(canvas, tmp_path, Output(FileFormat.PNG, paper=paper))).astype(float)
        for paper in (PaperStock.NONE, PaperStock.CANVAS)
    )
    steeper = [np.abs(np.diff(one, axis=1)).mean() for one in (plain, canvas_like)]
    assert steeper[1] > 1.1 * steeper[0]
    assert not list(tmp_path.glob("*.sharp"))


# profiles -------------------------------------------------------------------------------------


def test_a_profile_of_ones_own_is_tried_kept_and_offered(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ENAMEL_PROFILES", str(tmp_path / "own"))
    data = profile_of("coated").data
    found = profiles.add_profile(data, "shop-paper")
    assert (found.space, found.own) == (ColourSpace.CMYK, True)
    assert "shop-paper" in profile_names()
    assert profile_of("shop-paper") == found
    for bad, name, words in (
        (b"no profile", "x", "no colour profile that sRGB"),
        (data[:2000], "x", "no colour profile that sRGB"),
        (data, "coated", "name of a shipped profile"),
        (data, "", "rename the file"),
        (PIL.ImageCms.ImageCmsProfile(PIL.ImageCms.createProfile("LAB")).tobytes(), "lab",
         "no RGB, CMYK or grey"),
    ):  # fmt: skip
        with pytest.raises(Refusal, match=words):
            profiles.add_profile(bad, name)
    assert profile_names().count("x") == 0


# names ----------------------------------------------------------------------------------------


@given(st.text(max_size=200), st.sampled_from(list(FileFormat)), st.booleans())
def test_any_title_makes_a_name_that_every_system_takes(
    title: str, file: FileFormat, preview: bool
) -> None:
    output = Output(file, preview=preview)
    name = named("{title}", NameFields(title), output)
    assert len(name.encode()) <= 90
    assert not set(name) & set('<>:"/\\|?*\0\n')
    assert name.endswith(("-preview" if preview else "") + file.suffix)
    assert not name.startswith((".", "-"))
    again = named("{title}", NameFields(title), output, {name.upper()})
    assert again.casefold() != name.casefold()


@pytest.mark.parametrize("title", ["con", "NUL", "aux.x", "lpt1"])
def test_names_of_devices_are_avoided(title: str) -> None:
    assert named("{title}", NameFields(title), Output()) == f"{title}_.tif"


def test_a_pattern_says_which_places_it_knows() -> None:
    facts = NameFields(
        "Viaduct", "finish", 3508, 2480, 300, "297x210mm", "coated", "7", "2026-11-26"
    )
    pattern = "-".join(f"{{{place}}}" for place in PLACES)
    wanted = "Viaduct-finish-3508-2480-300-297x210mm-coated-7-2026-11-26.tif"
    assert named(pattern, facts, Output()) == wanted
    for wrong in ("{colour}", "{title", "a}", "{}"):
        with pytest.raises(FieldRefusal, match="known are title"):
            named(wrong, facts, Output())


# settings as files ----------------------------------------------------------------------------


def test_the_published_schema_fits_what_is_written_and_older_forms_are_read() -> None:
    assert json.loads(PUBLISHED.read_text()) == print_schema()
    settings = PrintSettings(
        Output(FileFormat.TIFF, 16, profile="coated", paper=PaperStock.MATTE),
        PrintPlan(fit=Fit.FILL),
    )
    form = json.loads(json.dumps(settings.to_json()))
    jsonschema.validate(form, print_schema())
    assert PrintSettings.from_json(form) == settings
    before = {"file": "jpeg", "bits": 8, "ppi": 254.0, "plan": None}
    assert PrintSettings.from_json(before) == PrintSettings(Output(FileFormat.JPEG), ppi=254)


def test_the_command_writes_what_the_ending_asks_for(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    settings, picture = tmp_path / "print.json", str(STATIONMASTER)
    plan = PrintPlan(PrintTarget(100, 150, 200.0), fit=Fit.FILL)
    chosen = PrintSettings(Output(profile="coated", paper=PaperStock.MATTE), plan)
    settings.write_text(json.dumps(chosen.to_json()))
    out = tmp_path / "out.jpg"
    assert main(["print", picture, str(out), "--settings", str(settings)]) == 0
    with PIL.Image.open(out) as image:
        assert (image.format, image.mode) == ("JPEG", "CMYK")
        width, height = image.size
        assert width / height == pytest.approx(100 / 150, abs=0.002)
    assert "matte paper" in capsys.readouterr().out
    assert main(["print", picture, str(tmp_path / "x.png"), "--settings", str(settings)]) == 2
    assert "PNG holds no CMYK" in capsys.readouterr().err
    assert main(["print", picture, str(tmp_path / "x.bmp")]) == 2
    assert main(["print", "--describe"]) == 0
    assert json.loads(capsys.readouterr().out.split("\n", 0)[0]) == print_schema()
