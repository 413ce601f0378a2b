"""The text in a picture file: PNG text, EXIF and XMP."""

import io
from pathlib import Path
from typing import BinaryIO

import PIL.ExifTags
import PIL.Image

from enamel.core.jsontext import storable

MAX_TEXT = 100_000
MAX_TEXTS = 64
MAX_ALL_TEXT = 200_000
"""Most characters of all texts together; the rest is left out."""
MAX_CHUNKS_BYTES = 8_000_000
"""Most bytes of a PNG's chunks without pixels; the rest is left out."""
PNG_SIGNATURE = b"\x89PNG\r\n\x1a\n"
MAX_NAME = 200
EXIF_IFD = 0x8769
USER_COMMENT = 0x9286
SKIPPED = {"icc_profile", "exif", "dpi", "gamma", "transparency", "srgb", "chromaticity"}


def carried_text(image: PIL.Image.Image) -> dict[str, str]:
    """Return all text in an opened file, by the name it is stored under.

    Values are unchanged but cut at 100 000 characters; at most the first 64 of them and 200 000
    characters in all. Anything else than text is left out.
    """
    if image.format == "PNG" and Path(image.filename).is_file():  # type: ignore[attr-defined]
        # the pixels are left out: text may follow them
        with Path(image.filename).open("rb") as file:  # type: ignore[attr-defined]
            rest = without_pixels(file)
        try:
            image = PIL.Image.open(rest, formats=["PNG"])
        except PIL.UnidentifiedImageError as error:
            raise OSError("The PNG's chunks are broken.") from error
    found: dict[str, str] = {}
    room = MAX_ALL_TEXT

    def keep(name: str, text: str | None) -> None:
        nonlocal room
        if text and room > 0 and len(found) < MAX_TEXTS:
            found.setdefault(storable(name)[:MAX_NAME], text[:room])
            room -= len(text)

    for name, value in image.info.items():
        if str(name).lower() not in SKIPPED:
            keep("XMP" if name in ("xmp", "XML:com.adobe.xmp") else str(name), _as_text(value))
    # of a PNG without EXIF the library would decode the pixels to look for some behind them
    exif = image.getexif() if image.format != "PNG" or "exif" in image.info else {}
    within = exif.get_ifd(EXIF_IFD) if isinstance(exif, PIL.Image.Exif) else {}
    for tag, value in [*exif.items(), *within.items()]:
        if tag not in (EXIF_IFD, 0x8825, 0x0112):
            text = _user_comment(value) if tag == USER_COMMENT else _as_text(value)
            keep(f"EXIF {PIL.ExifTags.TAGS.get(tag, hex(tag))}", text)
    return found


def without_pixels(file: BinaryIO) -> io.BytesIO:
    """Return a PNG without its pixels, so that text after them is found without decoding.

    Chunks are copied as they are (PNG, third edition, 5.3), up to `MAX_CHUNKS_BYTES` of them.
    """
    found = io.BytesIO()
    found.write(file.read(len(PNG_SIGNATURE)))
    room = MAX_CHUNKS_BYTES
    while len(head := file.read(8)) == 8:
        length, kind = int.from_bytes(head[:4], "big"), head[4:]
        if kind == b"IDAT" or length > room:
            file.seek(length + 4, io.SEEK_CUR)
            continue
        found.write(head + file.read(length + 4))
        room -= length
        if kind == b"IEND":
            break
    found.seek(0)
    return found


def _as_text(value: object) -> str | None:
    if isinstance(value, bytes):
        try:
            value = value.decode("utf-8")
        except UnicodeDecodeError:
            return None
    if isinstance(value, str):
        return storable(value[:MAX_TEXT]).strip() or None
    return None


def _user_comment(value: object) -> str | None:
    """EXIF 2.32 §4.6.5: eight bytes name the character code of what follows."""
    if not isinstance(value, bytes) or len(value) < 8:
        return _as_text(value)
    code, body = value[:8], value[8:]
    if code == b"UNICODE\x00":
        # writers disagree on byte order; text in the wrong one is mostly beyond Latin
        options = [body.decode(order, "ignore") for order in ("utf-16-be", "utf-16-le")]
        return _as_text(max(options, key=lambda text: sum(ord(c) < 0x250 for c in text)))
    return _as_text(body.decode("utf-8", "replace"))
