"""PDF pages: opened again by pikepdf and by poppler's tools; boxes, colours, marks, what they say."""

import subprocess
from pathlib import Path

import numpy as np
import pikepdf
import PIL.Image
import pytest

from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.xmp import properties
from enamel.core.printing.layout import Fit, PrintPlan
from enamel.core.printing.profiles import profile_of
from enamel.core.printing.sizing import Bleed, PrintTarget
from tests.pictures import STATIONMASTER, part, whole

POINTS = 72 / 25.4
PLAN = PrintPlan(PrintTarget(60, 40, 200.0, Bleed(3, 4, 5, 6)), fit=Fit.FILL)


@pytest.fixture
def canvas(tmp_path: Path) -> Canvas:
    made = Canvas.create(tmp_path / "layer.npy", Box(0, 0, 560, 400), 3)
    made.write(made.region, whole(part(STATIONMASTER, Box(100, 200, 560, 400))))
    return made


def written(canvas: Canvas, folder: Path, settings: PrintSettings) -> Path:
    path = folder / "page.pdf"
    placed, ppi, _ = laid(settings, canvas.size)
    says = {"dc:title": "Viadukt \u2013 bei Nacht", "Iptc4xmpExt:AIPromptInformation": "rain"}
    export(canvas, path, ppi=ppi, output=settings.output, placed=placed, says=says)
    return path


def pdf(quality: int = 100, profile: str = "coated", **more: object) -> Output:
    return Output(FileFormat.PDF, quality=quality, profile=profile, **more)  # type: ignore[arg-type]


def run(*command: object) -> str:
    return subprocess.run(
        [str(part) for part in command], check=True, capture_output=True, text=True
    ).stdout


@pytest.mark.parametrize("profile", ["srgb", "coated", "grey", "wide-rgb"])
def test_the_picture_in_it_is_the_tiffs(canvas: Canvas, tmp_path: Path, profile: str) -> None:
    page = written(canvas, tmp_path, PrintSettings(pdf(profile=profile), PLAN))
    tiff = tmp_path / "same.tif"
    placed, ppi, _ = laid(PrintSettings(Output(profile=profile), PLAN), canvas.size)
    export(canvas, tiff, ppi=ppi, output=Output(profile=profile), placed=placed)
    with pikepdf.open(page) as opened, PIL.Image.open(tiff) as wanted:
        image = opened.pages[0].Resources.XObject["/Im0"]
        found = np.frombuffer(image.read_bytes(), np.uint8)
        assert (int(image.Width), int(image.Height)) == wanted.size
        np.testing.assert_array_equal(found, np.asarray(wanted).ravel())
        if profile == "coated":
            assert image.ColorSpace == "/DeviceCMYK"
        else:
            assert image.ColorSpace[1].read_bytes() == profile_of(profile).data


@pytest.mark.parametrize("profile", ["srgb", "coated", "grey"])
@pytest.mark.parametrize("quality", [80, 100])
def test_poppler_draws_what_was_printed(
    canvas: Canvas, tmp_path: Path, profile: str, quality: int
) -> None:
    page = written(canvas, tmp_path, PrintSettings(pdf(quality, profile), ppi=200))
    assert "syntax" not in run("pdfinfo", "-box", page).lower()
    run("pdftoppm", "-r", 200, "-png", page, tmp_path / "drawn")
    (drawn,) = tmp_path.glob("drawn*.png")
    with PIL.Image.open(drawn) as image:
        assert image.size == pytest.approx(canvas.size, abs=1)
        values = np.asarray(image.convert("L").resize(canvas.size)).astype(float)
    truth = (canvas.read(canvas.region) / 257).mean(axis=2)
    # without the profile poppler draws inks its own way; what is where has to agree all the same
    assert np.corrcoef(values.ravel(), truth.ravel())[0, 1] > 0.97
    assert values.mean() == pytest.approx(truth.mean(), abs=30)


@pytest.mark.parametrize("marks", [False, True])
def test_boxes_are_the_print_its_bleed_and_the_sheet(
    canvas: Canvas, tmp_path: Path, marks: bool
) -> None:
    page = written(canvas, tmp_path, PrintSettings(pdf(marks=marks), PLAN))
    with pikepdf.open(page) as opened:
        (only,) = opened.pages
        media, bleed, trim = (
            np.array([float(side) for side in only[name]])
            for name in ("/MediaBox", "/BleedBox", "/TrimBox")
        )
        content = only.Contents.read_bytes()
    room = 7 * POINTS if marks else 0
    near = pytest.approx
    assert trim[2:] - trim[:2] == near(np.array([60, 40]) * POINTS, abs=0.4)  # whole px
    assert trim[:2] - bleed[:2] == near(np.array([6, 5]) * POINTS, abs=0.01)
    assert bleed[2:] - trim[2:] == near(np.array([4, 3]) * POINTS, abs=0.01)
    assert media == near(np.array([0, 0, *(bleed[2:] + room)]), abs=0.01)
    assert content.count(b" l S") == (8 if marks else 0)
    if marks:
        # no mark reaches into the bleed
        lines = [line.split() for line in content.decode().splitlines() if line.endswith("l S")]
        for x1, y1, _, x2, y2, *_ in lines:
            for x, y in ((float(x1), float(y1)), (float(x2), float(y2))):
                assert not (bleed[0] < x < bleed[2] and bleed[1] < y < bleed[3])


def test_with_inks_it_says_for_which_press_and_without_it_claims_nothing(
    canvas: Canvas, tmp_path: Path
) -> None:
    page = written(canvas, tmp_path, PrintSettings(pdf(), PLAN))
    with pikepdf.open(page) as opened:
        assert opened.pdf_version == "1.6"
        (intent,) = opened.Root.OutputIntents
        assert intent.S == "/GTS_PDFX"
        assert intent.DestOutputProfile.read_bytes() == profile_of("coated").data
        assert str(opened.docinfo["/GTS_PDFXVersion"]) == "PDF/X-4"
        assert str(opened.docinfo["/Title"]) == "Viadukt \u2013 bei Nacht"
        assert opened.docinfo["/Trapped"] == "/False"
        assert opened.trailer.ID[0] == opened.trailer.ID[1]
        xmp = properties(opened.Root.Metadata.read_bytes().decode())
        assert xmp["GTS_PDFXVersion"] == "PDF/X-4"
        assert xmp["AIPromptInformation"] == "rain"
        assert not opened.check_pdf_syntax()
    assert "rain" in run("pdfinfo", "-meta", page)
    plain = written(canvas, tmp_path, PrintSettings(pdf(profile="srgb"), PLAN))
    with pikepdf.open(plain) as opened:
        assert "/OutputIntents" not in opened.Root
        assert b"GTS_PDFX" not in opened.Root.Metadata.read_bytes()


def test_a_stripped_page_says_nothing_of_its_making(canvas: Canvas, tmp_path: Path) -> None:
    page = written(canvas, tmp_path, PrintSettings(pdf(80, metadata=False), PLAN))
    data = page.read_bytes()
    assert b"rain" not in data
    assert "Viadukt".encode("utf-16-be").hex().encode() not in data
    assert not list(tmp_path.glob("*.jpeg"))


def test_how_far_it_is_written_is_reported(canvas: Canvas, tmp_path: Path) -> None:
    received: list[float] = []
    export(canvas, tmp_path / "page.pdf", output=pdf(), on_progress=received.append)
    assert received == sorted(received)
    assert received[-1] == 1
