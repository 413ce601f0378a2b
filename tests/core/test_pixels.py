"""Bringing files in: what is taken, turned, converted and refused."""

import io
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.PngImagePlugin
import pytest
import pyvips

from enamel.core.errors import Refusal
from enamel.core.export.file import export
from enamel.core.export.output import FileFormat, Output
from enamel.core.geometry import Size
from enamel.core.imaging.canvas import Canvas
from enamel.core.intake.pixels import Limits, examine, read_canvas
from tests.pictures import SIGNAL_LAMP, STATIONMASTER, assert_same_pixels, portrait, whole


def picture(mode: str = "RGB") -> PIL.Image.Image:
    return PIL.Image.fromarray((whole(portrait()) // 257).astype(np.uint8)).convert(mode)


def brought_in(path: Path) -> Canvas:
    return read_canvas(path, examine(path), path.with_suffix(".npy"))


@pytest.mark.parametrize("name", ["a.png", "a.tif", "a.webp"])
def test_lossless_files_keep_every_sample(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    picture().save(path, **({"lossless": True} if name.endswith("webp") else {}))
    assert_same_pixels(whole(brought_in(path)), whole(portrait()))


def test_the_type_is_recognised_by_the_content_not_by_the_name(tmp_path: Path) -> None:
    path = tmp_path / "really-a-jpeg.png"
    picture().save(path, "JPEG")
    assert examine(path).format == "JPEG"


@pytest.mark.parametrize(
    ("orientation", "turn"),
    [
        (3, lambda a: a[::-1, ::-1]),
        (6, lambda a: a.swapaxes(0, 1)[:, ::-1]),
        (8, lambda a: a.swapaxes(0, 1)[::-1]),
        (5, lambda a: a.swapaxes(0, 1)),
    ],
)
def test_exif_orientation_is_applied(tmp_path: Path, orientation: int, turn: object) -> None:
    exif = PIL.Image.Exif()
    exif[0x0112] = orientation
    path = tmp_path / "turned.png"
    picture().save(path, exif=exif)
    canvas = brought_in(path)
    assert canvas.size == examine(path).size
    assert_same_pixels(whole(canvas), turn(whole(portrait())))  # type: ignore[operator]


@pytest.mark.parametrize("mode", ["L", "P", "1"])
def test_grey_palette_and_bilevel_become_rgb(tmp_path: Path, mode: str) -> None:
    path = tmp_path / "a.png"
    picture(mode).save(path)
    expected = np.asarray(picture(mode).convert("RGB")).astype(np.uint16) * 257
    assert_same_pixels(whole(brought_in(path)), expected)


def test_sixteen_bits_are_kept(tmp_path: Path) -> None:
    ramp = np.linspace(0, 65535, 64 * 64).astype(np.uint16).reshape(64, 64)
    path = tmp_path / "deep.png"
    PIL.Image.fromarray(ramp).save(path)
    assert examine(path).bits == 16
    assert_same_pixels(whole(brought_in(path))[..., 1], ramp)


def test_alpha_becomes_the_fourth_channel(tmp_path: Path) -> None:
    clear = picture("RGBA")
    clear.putalpha(77)
    path = tmp_path / "clear.png"
    clear.save(path)
    canvas = brought_in(path)
    assert examine(path).has_alpha
    assert canvas.channels == 4
    assert (whole(canvas)[..., 3] == 77 * 257).all()


def test_cmyk_is_converted(tmp_path: Path) -> None:
    path = tmp_path / "press.jpg"
    PIL.Image.new("CMYK", (64, 64), (0, 255, 255, 0)).save(path, quality=100)
    red, green, blue = whole(brought_in(path))[32, 32] / 65535
    assert red > 0.8
    assert green < 0.25
    assert blue < 0.25


def test_an_embedded_profile_is_converted_to_srgb(tmp_path: Path) -> None:
    path = tmp_path / "wide.png"
    wide = pyvips.Operation.call("profile_load", "p3")
    PIL.Image.new("RGB", (32, 32), (200, 80, 80)).save(path, icc_profile=wide)
    assert "P3" in (examine(path).profile or "")
    red, green, blue = whole(brought_in(path))[16, 16] / 257
    # by the matrices of the two primaries (SMPTE EG 432-1, IEC 61966-2-1)
    assert (red, green, blue) == pytest.approx((216, 69, 75), abs=1.5)


def test_text_is_kept_from_png_exif_and_xmp(tmp_path: Path) -> None:
    assert "elderly stationmaster" in examine(STATIONMASTER).text["generation"]
    assert "signal lamp" in examine(SIGNAL_LAMP).text["EXIF ImageDescription"]
    text = PIL.PngImagePlugin.PngInfo()
    text.add_itxt("XML:com.adobe.xmp", "<x:xmpmeta>made up</x:xmpmeta>")
    path = tmp_path / "a.png"
    picture().save(path, pnginfo=text)
    assert "made up" in examine(path).text["XMP"]


def test_what_can_not_be_used_is_refused_and_says_why(tmp_path: Path) -> None:
    def file(name: str, content: bytes) -> Path:
        (tmp_path / name).write_bytes(content)
        return tmp_path / name

    frames = io.BytesIO()
    picture().save(frames, "WEBP", save_all=True, append_images=[picture().rotate(90)])
    pages = io.BytesIO()
    picture().save(pages, "TIFF", save_all=True, append_images=[picture()])
    small = io.BytesIO()
    PIL.Image.new("RGB", (8, 8)).save(small, "PNG")
    floating = io.BytesIO()
    PIL.Image.new("F", (32, 32)).save(floating, "TIFF")
    cases = {
        "empty": (b"", "empty"),
        "words": (b"these are words, not pixels", "not a picture"),
        "vector": (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "not a picture"),
        "moving": (frames.getvalue(), "several frames"),
        "pages": (pages.getvalue(), "several pages"),
        "small": (small.getvalue(), "at least 16 px"),
    }
    for name, (content, words) in cases.items():
        with pytest.raises(Refusal, match=words):
            examine(file(name, content))
    path = file("floating", floating.getvalue())
    with pytest.raises(Refusal, match="floating-point"):
        read_canvas(path, examine(path), tmp_path / "floating.npy")


def test_a_file_cut_short_is_refused_and_leaves_nothing(tmp_path: Path) -> None:
    for original in (STATIONMASTER, SIGNAL_LAMP):
        content = original.read_bytes()
        path = tmp_path / original.name
        path.write_bytes(content[: len(content) // 2])
        into = tmp_path / "base.npy"
        with pytest.raises(Refusal, match="broken"):
            read_canvas(path, examine(path), into)
        assert list(tmp_path.glob("base*")) == []


def test_limits_hold_before_anything_is_decoded(tmp_path: Path) -> None:
    path = tmp_path / "bomb.png"
    PIL.Image.new("1", (20000, 20000)).save(path)
    assert path.stat().st_size < 200_000
    with pytest.raises(Refusal, match=r"20000 × 20000 px.*up to 300 megapixels"):
        examine(path)
    with pytest.raises(Refusal, match="takes files up to"):
        examine(STATIONMASTER, Limits(max_bytes=1000))


@pytest.mark.parametrize("file", [FileFormat.PNG, FileFormat.TIFF, FileFormat.JPEG])
@pytest.mark.parametrize("bits", [8, 16])
def test_print_files_carry_size_resolution_and_profile(
    tmp_path: Path, file: FileFormat, bits: int
) -> None:
    source = tmp_path / "a.png"
    picture().save(source)
    path = tmp_path / f"print.{file}"
    export(brought_in(source), path, ppi=250, output=Output(FileFormat.of(path), bits))
    with PIL.Image.open(path) as made:
        assert made.size == Size(112, 88)
        assert made.info["dpi"] == pytest.approx((250, 250), abs=0.5)
        assert b"RGB" in made.info["icc_profile"][:32]
        samples = np.asarray(made.convert("RGB")).astype(int)
    tolerance = 24 if file is FileFormat.JPEG else 1
    assert np.abs(samples - whole(portrait()) // 257).max() <= tolerance
    if file is not FileFormat.JPEG:
        assert examine(path).bits == bits
    assert list(tmp_path.glob("*.part")) == []
