"""PDF pages: one picture with its boxes, crop marks and output intent, written as a stream.

With a CMYK profile the file keeps to PDF/X-4 (ISO 15930-7) as far as one picture goes: version 1.6, one
output intent with its profile in the file, trim and bleed boxes, dates, identity and version in XMP and in
the information dictionary, no encryption, no fonts, DeviceCMYK as the intent's. It is not validated by
anything that is certified for it. With an RGB or grey profile it is a plain PDF 1.6 whose picture carries
its profile: PDF/X asks for a printing condition.
"""

import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import BinaryIO
from uuid import uuid4

import numpy as np
import pyvips

from enamel.core.base.xmp import packet
from enamel.core.print.profiles import Profile, Space
from enamel.core.print.sizing import MM_PER_INCH, Bleed

POINTS = 72 / MM_PER_INCH
"""Points in a mm."""
MARK_MM, MARK_GAP_MM, MARK_LINE = 5.0, 2.0, 0.25
"""Length of crop marks, their distance from the bleed, and their width in points."""
STRIP_BYTES = 8 * 2**20
LOSSLESS = 100
"""Quality from which the picture is not packed as JPEG."""
VERSION = "PDF/X-4"


@dataclass(frozen=True, slots=True)
class Page:
    """A page in mm: what is printed, bleed included, and how much of it is cut off."""

    width: float
    height: float
    bleed: Bleed = Bleed()
    marks: bool = False

    @property
    def slug(self) -> float:
        """Room for marks around the bleed."""
        return MARK_GAP_MM + MARK_MM if self.marks else 0.0

    @property
    def media(self) -> tuple[float, float, float, float]:
        """The whole sheet in points: left, bottom, right, top, as the other boxes."""
        both = 2 * self.slug
        return 0.0, 0.0, (self.width + both) * POINTS, (self.height + both) * POINTS

    @property
    def bleed_box(self) -> tuple[float, float, float, float]:
        left = bottom = self.slug * POINTS
        return left, bottom, left + self.width * POINTS, bottom + self.height * POINTS

    @property
    def trim_box(self) -> tuple[float, float, float, float]:
        left, bottom, right, top = self.bleed_box
        cut = self.bleed
        return (
            left + cut.left * POINTS, bottom + cut.bottom * POINTS,
            right - cut.right * POINTS, top - cut.top * POINTS,
        )  # fmt: skip


def write_pdf(
    image: pyvips.Image,
    path: Path,
    page: Page,
    profile: Profile,
    *,
    quality: int = LOSSLESS,
    full_colour: bool = True,
    says: Mapping[str, str] | None = None,
    now: datetime,
    hear: Callable[[float], None] | None = None,
) -> None:
    """Write a picture as a page.

    Parameters
    ----------
    image : 8 bits, in the numbers of the profile, without alpha.
    quality : of the JPEG in it; 100 packs it without loss.
    full_colour : whether that JPEG keeps its colours at full resolution.
    says : properties of its XMP, beside what the format itself wants.
    hear : told how much of it is written, 0…1.
    """
    for_press = profile.space is Space.CMYK
    with path.open("wb") as file:
        pdf = _Writer(file)
        catalogue, pages, one, content, picture, colours, words, info = pdf.reserve(8)
        seen = "/DeviceCMYK" if for_press else f"[/ICCBased {colours} 0 R]"
        intent = (
            f"/OutputIntents [<</Type /OutputIntent /S /GTS_PDFX /DestOutputProfile {colours} 0 R "
            f"/OutputConditionIdentifier {_text(profile.title)} /Info {_text(profile.title)}>>]"
        )
        pdf.object(catalogue, f"<</Type /Catalog /Pages {pages} 0 R /Metadata {words} 0 R "
                              f"{intent if for_press else ''}>>")  # fmt: skip
        pdf.object(pages, f"<</Type /Pages /Kids [{one} 0 R] /Count 1>>")
        boxes = zip(
            ("Media", "Bleed", "Trim"), (page.media, page.bleed_box, page.trim_box), strict=True
        )
        registration = "" if not page.marks else _registration(for_press)
        pdf.object(one, f"<</Type /Page /Parent {pages} 0 R {' '.join(_box(*box) for box in boxes)} "
                        f"/Contents {content} 0 R /Resources <</XObject <</Im0 {picture} 0 R>> "
                        f"{registration}>>>>")  # fmt: skip
        pdf.stream(content, "", [_drawing(page).encode("ascii")])
        shape = f"/Type /XObject /Subtype /Image /Width {image.width} /Height {image.height} " \
                f"/ColorSpace {seen} /BitsPerComponent 8"  # fmt: skip
        if quality >= LOSSLESS:
            rows = f"/Predictor 15 /Colors {image.bands} /Columns {image.width}"
            packing = f"/Filter /FlateDecode /DecodeParms <<{rows}>>"
            pdf.stream(picture, f"{shape} {packing}", _deflated(image, hear))
        else:
            # such files keep CMYK turned round
            turned = f"/Decode [{' '.join(['1 0'] * 4)}]" if for_press else ""
            pdf.stream(picture, f"{shape} /Filter /DCTDecode {turned}",
                       _as_jpeg(image, path.with_suffix(".jpeg"), quality, full_colour, hear))  # fmt: skip
        packed = zlib.compress(profile.data, 9)
        pdf.stream(colours, f"/N {profile.bands} /Filter /FlateDecode", [packed])
        properties = (
            dict(says or {})
            | _dates(now)
            | ({"pdfxid:GTS_PDFXVersion": VERSION} if for_press else {})
        )
        pdf.stream(words, "/Type /Metadata /Subtype /XML", [packet(properties)])
        moment = f"(D:{now:%Y%m%d%H%M%S}Z)"
        title = _text((says or {}).get("dc:title", ""))
        version = f"/GTS_PDFXVersion ({VERSION})" if for_press else ""
        pdf.object(info, f"<</Title {title} /CreationDate {moment} /ModDate {moment} /Creator (Enamel) "
                         f"/Producer (Enamel) /Trapped /False {version}>>")  # fmt: skip
        pdf.close(catalogue, info)


def _dates(now: datetime) -> dict[str, str]:
    moment = f"{now:%Y-%m-%dT%H:%M:%SZ}"
    return {
        "xmp:CreateDate": moment,
        "xmp:ModifyDate": moment,
        "xmp:MetadataDate": moment,
        "xmpMM:VersionID": "1",
        "xmpMM:RenditionClass": "default",
        "pdf:Trapped": "False",
    }


def _drawing(page: Page) -> str:
    """The page's content: the picture over the bleed, then crop marks at the trim's corners."""
    left, bottom, right, top = page.bleed_box
    lines = [f"q {right - left:.4f} 0 0 {top - bottom:.4f} {left:.4f} {bottom:.4f} cm /Im0 Do Q"]
    if page.marks:
        lines.append(f"q {MARK_LINE} w /All CS 1 SCN")
        trim_left, trim_bottom, trim_right, trim_top = page.trim_box
        _, _, sheet_right, sheet_top = page.media
        mark = MARK_MM * POINTS
        for x in (trim_left, trim_right):
            lines += [f"{x:.4f} 0 m {x:.4f} {mark:.4f} l S",
                      f"{x:.4f} {sheet_top:.4f} m {x:.4f} {sheet_top - mark:.4f} l S"]  # fmt: skip
        for y in (trim_bottom, trim_top):
            lines += [f"0 {y:.4f} m {mark:.4f} {y:.4f} l S",
                      f"{sheet_right:.4f} {y:.4f} m {sheet_right - mark:.4f} {y:.4f} l S"]  # fmt: skip
        lines.append("Q")
    return "\n".join(lines)


def _registration(for_press: bool) -> str:
    """The colour that is printed by every ink, so that marks stand on each plate."""
    space = "/DeviceCMYK" if for_press else "/DeviceGray"
    none, full = ("0 0 0 0", "1 1 1 1") if for_press else ("1", "0")
    tint = f"<</FunctionType 2 /Domain [0 1] /C0 [{none}] /C1 [{full}] /N 1>>"
    return f"/ColorSpace <</All [/Separation /All {space} {tint}]>>"


def _deflated(image: pyvips.Image, hear: Callable[[float], None] | None) -> Iterator[bytes]:
    """The samples, each row as its difference from the one above (PNG's filter 2), packed."""
    packer = zlib.compressobj(6)
    stride = image.width * image.bands
    rows = max(1, STRIP_BYTES // stride)
    above = np.zeros((1, stride), np.uint8)
    for y in range(0, image.height, rows):
        count = min(rows, image.height - y)
        strip = np.frombuffer(image.crop(0, y, image.width, count).write_to_memory(), np.uint8)
        strip = strip.reshape(count, stride)
        filtered = np.empty((count, stride + 1), np.uint8)
        filtered[:, 0] = 2
        np.subtract(strip, np.concatenate([above, strip[:-1]]), out=filtered[:, 1:])
        above = strip[-1:]
        yield packer.compress(filtered.tobytes())
        if hear is not None:
            hear((y + count) / image.height)
    yield packer.flush()


def _as_jpeg(
    image: pyvips.Image, scratch: Path, quality: int, full: bool, hear: Callable[[float], None] | None
) -> Iterator[bytes]:  # fmt: skip
    """The picture as a JPEG, written beside the page and read block by block."""
    try:
        image.jpegsave(
            str(scratch), Q=quality, subsample_mode="off" if full else "on", keep="none"
        )  # fmt: skip
        if hear is not None:
            hear(0.9)
        with scratch.open("rb") as file:
            while block := file.read(STRIP_BYTES):
                yield block
    finally:
        scratch.unlink(missing_ok=True)


def _box(name: str, sides: tuple[float, ...]) -> str:
    return f"/{name}Box [{' '.join(f'{side:.4f}' for side in sides)}]"


def _text(words: str) -> str:
    """A text string: UTF-16 with its mark, as hexadecimal digits."""
    return f"<feff{words.encode('utf-16-be').hex()}>" if words else "()"


class _Writer:
    """The file's objects with their places."""

    def __init__(self, file: BinaryIO) -> None:
        self.file = file
        self.places: dict[int, int] = {}
        self.digest = sha256(uuid4().bytes)
        self.put(b"%PDF-1.6\n%\xe2\xe3\xcf\xd3\n")

    def put(self, data: bytes) -> None:
        self.digest.update(data)
        self.file.write(data)

    def reserve(self, count: int) -> range:
        """Numbers of objects that will be written."""
        return range(len(self.places) + 1, len(self.places) + 1 + count)

    def object(self, number: int, body: str) -> None:
        self.places[number] = self.file.tell()
        self.put(f"{number} 0 obj\n{body}\nendobj\n".encode("latin-1"))

    def stream(self, number: int, entries: str, blocks: "Iterator[bytes] | list[bytes]") -> None:
        """A stream whose length is told by an object after it."""
        length = max(*self.places, number, 8) + 1
        self.places[number] = self.file.tell()
        self.put(f"{number} 0 obj\n<<{entries} /Length {length} 0 R>>\nstream\n".encode("latin-1"))
        begin = self.file.tell()
        for block in blocks:
            self.put(block)
        end = self.file.tell()
        self.put(b"\nendstream\nendobj\n")
        self.object(length, str(end - begin))

    def close(self, catalogue: int, info: int) -> None:
        start, count = self.file.tell(), max(self.places) + 1
        rows = [f"{self.places[number]:010d} 00000 n \n" for number in range(1, count)]
        self.put(f"xref\n0 {count}\n0000000000 65535 f \n{''.join(rows)}".encode("ascii"))
        name = self.digest.hexdigest()[:32]
        told = f"/Size {count} /Root {catalogue} 0 R /Info {info} 0 R /ID [<{name}> <{name}>]"
        self.put(f"trailer\n<<{told}>>\nstartxref\n{start}\n%%EOF\n".encode("ascii"))
