"""Files that are broken, lie or are of a kind hardly met: refused in words, or read as they are meant."""

import io
import json
import resource
import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.PngImagePlugin
import pytest
import pyvips

from enamel.core.errors import Refusal
from enamel.core.intake.metadata import MAX_ALL_TEXT, MAX_TEXTS
from enamel.core.intake.pixels import Limits, examine
from enamel.core.intake.provenance import made
from tests.core.test_pixels import brought_in, picture
from tests.pictures import portrait, whole


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png_with(*chunks: bytes, before: bytes = b"IDAT") -> bytes:
    """The portrait as a PNG, with chunks put in before one of its own."""
    file = io.BytesIO()
    picture().save(file, "PNG")
    content = file.getvalue()
    place = content.index(before) - 4
    return content[:place] + b"".join(chunks) + content[place:]


def many_bands(count: int) -> bytes:
    image = pyvips.Image.black(64, 48, bands=count).copy(interpretation="srgb")
    data: bytes = image.tiffsave_buffer()
    return data


def tiff(**options: object) -> bytes:
    file = io.BytesIO()
    picture().save(file, "TIFF", **options)
    return file.getvalue()


def tiled_with_a_broken_tile() -> bytes:
    image = pyvips.Image.new_from_array((whole(portrait()) // 257).astype(np.uint8))
    data = bytearray(
        image.tiffsave_buffer(tile=True, tile_width=32, tile_height=32, compression="deflate")
    )
    data[len(data) // 2] ^= 0x55
    return bytes(data)


def jpeg_that_claims(side: int) -> bytes:
    file = io.BytesIO()
    picture().save(file, "JPEG")
    content = bytearray(file.getvalue())
    place = content.index(b"\xff\xc0") + 5
    content[place : place + 4] = struct.pack(">HH", side, side)
    return bytes(content)


def palette_left_out() -> bytes:
    file = io.BytesIO()
    picture("P").save(file, "PNG")
    content = file.getvalue()
    place = content.index(b"PLTE") - 4
    (length,) = struct.unpack(">I", content[place : place + 4])
    return content[:place] + content[place + 12 + length :]


def floating_point() -> bytes:
    data: bytes = pyvips.Image.black(64, 48, bands=3).cast("float").tiffsave_buffer()
    return data


REFUSED: dict[str, tuple[Callable[[], bytes], str]] = {
    "unknown critical chunk": (lambda: png_with(chunk(b"KILN", b"glaze")), "broken"),
    "header twice": (
        lambda: png_with(chunk(b"IHDR", struct.pack(">IIBBBBB", 112, 88, 8, 2, 0, 0, 0))), "broken",
    ),
    "no palette": (palette_left_out, "broken"),
    "five channels": (lambda: many_bands(5), "many channels"),
    "six channels": (lambda: many_bands(6), "many channels"),
    "directory beyond the end": (lambda: tiff()[:4] + struct.pack("<I", 10**8) + tiff()[8:], "broken"),
    "brightness and colour apart": (
        lambda: (lambda f: (picture("YCbCr").save(f, "TIFF"), f.getvalue())[1])(io.BytesIO()),
        "Export it as RGB",
    ),
    "floating point": (floating_point, "floating-point"),
    "a tile whose checksum fails": (tiled_with_a_broken_tile, "broken"),
    "more than it holds": (lambda: jpeg_that_claims(9000), "ends long before"),
    "several pages": (
        lambda: tiff(save_all=True, append_images=[picture()] * 3), "several pages",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSED)
def test_it_is_refused_in_words_and_nothing_is_left(tmp_path: Path, name: str) -> None:
    content, words = REFUSED[name]
    path = tmp_path / "file"
    path.write_bytes(content())
    with pytest.raises(Refusal, match=words) as refused:
        brought_in(path)
    for inner in ("vips", "Pillow", "PIL", str(tmp_path)):
        assert inner not in str(refused.value)
    assert list(tmp_path.iterdir()) == [path]


def test_a_very_long_side_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "strip.png"
    PIL.Image.new("L", (17, 40_000)).save(path)
    with pytest.raises(Refusal, match="32,000 px at most"):
        examine(path, Limits())


def test_text_is_kept_within_bounds(tmp_path: Path) -> None:
    text = PIL.PngImagePlugin.PngInfo()
    for number in range(300):
        text.add_text(f"note {number}", "verdigris " * 2000, zip=True)
    path = tmp_path / "wordy.png"
    picture().save(path, pnginfo=text)
    kept = examine(path).text
    assert 0 < len(kept) <= MAX_TEXTS
    assert sum(map(len, kept.values())) <= MAX_ALL_TEXT


def test_what_databases_can_not_hold_is_left_out() -> None:
    found = made({"parameters": json.dumps({"prompt": "a\0 lamp \ud800 lit", "seed": 4})})
    assert found.prompt == "a lamp ? lit"
    assert found.seed_number == 4


@pytest.mark.parametrize("orientation", [5, 6, 7, 8])
def test_a_turned_tiff_has_the_sides_of_its_pixels(tmp_path: Path, orientation: int) -> None:
    path = tmp_path / "turned.tif"
    exif = PIL.Image.Exif()
    exif[0x0112] = orientation
    picture().save(path, exif=exif)
    facts = examine(path)
    assert facts.size == brought_in(path).size == (portrait().size.height, portrait().size.width)


def test_a_gamma_without_a_profile_is_converted(tmp_path: Path) -> None:
    """Linear light, as the gAMA chunk says: samples come out as sRGB's curve has them."""
    light = np.linspace(0, 1, 64 * 48).reshape(48, 64, 1).repeat(3, 2)
    file = io.BytesIO()
    PIL.Image.fromarray(np.rint(255 * light).astype(np.uint8)).save(file, "PNG")
    content = file.getvalue()
    place = content.index(b"IDAT") - 4
    path = tmp_path / "linear.png"
    path.write_bytes(content[:place] + chunk(b"gAMA", struct.pack(">I", 100_000)) + content[place:])
    found = whole(brought_in(path)) / 65535
    seen = np.rint(255 * light) / 255
    # IEC 61966-2-1, the curve from light to samples
    wanted = np.where(seen <= 0.0031308, 12.92 * seen, 1.055 * seen ** (1 / 2.4) - 0.055)
    assert np.abs(found - wanted).max() < 0.01


def test_a_gamma_that_means_srgb_changes_nothing(tmp_path: Path) -> None:
    path = tmp_path / "usual.png"
    path.write_bytes(png_with(chunk(b"gAMA", struct.pack(">I", 45_455))))
    assert (whole(brought_in(path)) == whole(portrait())).all()


def test_a_huge_interlaced_png_is_examined_without_decoding_it(tmp_path: Path) -> None:
    """289 megapixels in less than a megabyte, with text behind the pixels."""
    side, path = 17_000, tmp_path / "huge.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 1))
        + chunk(b"IDAT", zlib.compress(bytes(2_000_000)))
        + chunk(b"IDAT", zlib.compress(bytes(2_000_000)))
        + chunk(b"tEXt", b"prompt\0a signal lamp")
        + chunk(b"IEND", b"")
    )
    before = resource.getrusage(resource.RUSAGE_SELF)
    facts = examine(path)
    after = resource.getrusage(resource.RUSAGE_SELF)
    assert facts.size == (side, side)
    assert facts.text == {"prompt": "a signal lamp"}
    assert after.ru_utime - before.ru_utime < 1
    assert after.ru_maxrss - before.ru_maxrss < 100_000  # kB
