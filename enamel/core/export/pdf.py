"""PDF pages: one picture each, with boxes, marks and output intent, written as a stream.

With a CMYK profile the file keeps to PDF/X-4 (ISO 15930-7) as far as pictures go: version 1.6, one
output intent with its profile in the file, trim and bleed boxes, dates, identity and version in XMP and in
the information dictionary, no encryption, no fonts, DeviceCMYK as the intent's. It is not validated by
anything that is certified for it. With an RGB or grey profile it is a plain PDF 1.6 whose picture carries
its profile: PDF/X asks for a printing condition.
"""

import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import BinaryIO, NamedTuple
from uuid import uuid4

import numpy as np
import PIL.Image
import PIL.ImageDraw
import pyvips

from enamel.core.export.lettering import font_of
from enamel.core.export.progress import OnFraction, write_with_progress
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.intake.xmp import packet
from enamel.core.printing.page import Label, Page, Rect
from enamel.core.printing.profiles import Profile
from enamel.core.printing.sizing import MM_PER_INCH

POINTS = 72 / MM_PER_INCH
"""Points in a mm."""
MARK_LINE = 0.25
"""Width of marks in points."""
LETTER_PX = 32
"""Size at which labels are drawn."""
STRIP_BYTES = 8 * 2**20
LOSSLESS = 100
"""Quality from which the picture is compressed without loss."""
VERSION = "PDF/X-4"


@dataclass(frozen=True, slots=True)
class PdfPage:
    """A page with the picture that covers what is printed of it.

    The picture has 8 bits, in the numbers of the file's profile, and no alpha.
    """

    picture: PixelBuffer
    page: Page


def write_pdf(
    sheets: Sequence[PdfPage],
    path: Path,
    profile: Profile,
    *,
    quality: int = LOSSLESS,
    full_colour: bool = True,
    says: Mapping[str, str] | None = None,
    now: datetime,
    on_progress: OnFraction | None = None,
) -> None:
    """Write pictures as pages.

    Parameters
    ----------
    quality : of the JPEGs in it; 100 is lossless.
    full_colour : whether those JPEGs keep their colours at full resolution.
    says : properties of its XMP, in addition to those that the format requires.
    on_progress : called with how much of it is written, 0…1.
    """
    for_press = profile.space is ColourSpace.CMYK
    with path.open("wb") as file:
        pdf = _Writer(file)
        catalogue, pages, colours, marks, words, info = (pdf.reserve() for _ in range(6))
        intent = (
            f"/OutputIntents [<</Type /OutputIntent /S /GTS_PDFX /DestOutputProfile {colours} 0 R "
            f"/OutputConditionIdentifier {_text(profile.title)} /Info {_text(profile.title)}>>]"
        )
        pdf.object(catalogue, f"<</Type /Catalog /Pages {pages} 0 R /Metadata {words} 0 R "
                              f"{intent if for_press else ''}>>")  # fmt: skip
        pdf.object(marks, _registration(for_press))
        packed = zlib.compress(profile.data, 9)
        pdf.stream(colours, f"/N {profile.bands} /Filter /FlateDecode", [packed])
        area = sum(sheet.picture.size.megapixels for sheet in sheets)
        written, before = [], 0.0
        for sheet in sheets:
            own = sheet.picture.size.megapixels
            written.append(_write_page(
                pdf, sheet, _Parts(pages, colours, marks, for_press), path, quality, full_colour,
                _part_of(on_progress, before / area, own / area),
            ))  # fmt: skip
            before += own
        kids = " ".join(f"{number} 0 R" for number in written)
        pdf.object(pages, f"<</Type /Pages /Kids [{kids}] /Count {len(written)}>>")
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


class _Parts(NamedTuple):
    """Numbers of the objects that all pages share, and whether the file is for a press."""

    pages: int
    colours: int
    marks: int
    for_press: bool


def _write_page(
    pdf: "_Writer",
    sheet: PdfPage,
    parts: _Parts,
    path: Path,
    quality: int,
    full_colour: bool,
    on_progress: OnFraction | None,
) -> int:
    """Write a page and its content; return the page's number."""
    image, page = sheet.picture.image, sheet.page
    number, content, picture = (pdf.reserve() for _ in range(3))
    labels = [(label, pdf.reserve()) for label in page.all_labels()]
    boxes = zip(
        ("Media", "Bleed", "Trim"), (page.media, page.bleed_box, page.trim_box), strict=True
    )
    objects = " ".join(f"/La{place} {mask} 0 R" for place, (_, mask) in enumerate(labels))
    inks = f"/ColorSpace <</All {parts.marks} 0 R>>" if page.all_lines() or labels else ""
    pdf.object(number, f"<</Type /Page /Parent {parts.pages} 0 R "
                       f"{' '.join(_box(name, box, page.media.bottom) for name, box in boxes)} "
                       f"/Contents {content} 0 R "
                       f"/Resources <</XObject <</Im0 {picture} 0 R {objects}>> {inks}>>>>")  # fmt: skip
    masks = [_written(label.words) for label, _ in labels]
    drawing = _drawing(
        page, [(label, mask.size) for (label, _), mask in zip(labels, masks, strict=True)]
    )
    pdf.stream(content, "", [drawing.encode("ascii")])
    for (_, place), mask in zip(labels, masks, strict=True):
        pdf.stream(place, f"/Type /XObject /Subtype /Image /ImageMask true /Width {mask.width} "
                          f"/Height {mask.height} /BitsPerComponent 1 /Decode [1 0] "
                          f"/Filter /FlateDecode", [zlib.compress(mask.tobytes())])  # fmt: skip
    seen = "/DeviceCMYK" if parts.for_press else f"[/ICCBased {parts.colours} 0 R]"
    shape = f"/Type /XObject /Subtype /Image /Width {image.width} /Height {image.height} " \
            f"/ColorSpace {seen} /BitsPerComponent 8"  # fmt: skip
    if quality >= LOSSLESS:
        rows = f"/Predictor 15 /Colors {image.bands} /Columns {image.width}"
        packing = f"/Filter /FlateDecode /DecodeParms <<{rows}>>"
        pdf.stream(picture, f"{shape} {packing}", _deflated(image, on_progress))
    else:
        # such files store CMYK inverted
        turned = f"/Decode [{' '.join(['1 0'] * 4)}]" if parts.for_press else ""
        jpeg = _as_jpeg(image, path.with_suffix(".jpeg"), quality, full_colour, on_progress)
        pdf.stream(picture, f"{shape} /Filter /DCTDecode {turned}", jpeg)
    return number


def _part_of(on_progress: OnFraction | None, before: float, own: float) -> OnFraction | None:
    """Return a callback for one page that calls back with the fraction of all pages."""
    return on_progress and (lambda fraction: on_progress(before + own * fraction))


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


def _drawing(page: Page, labels: Sequence[tuple[Label, tuple[int, int]]]) -> str:
    """Return the page's content: the picture over the bleed, then marks, lines and labels in every ink."""
    bottom = page.media.bottom
    left, top, right, below = page.bleed_box
    place = (
        (right - left) * POINTS,
        (below - top) * POINTS,
        left * POINTS,
        (bottom - below) * POINTS,
    )
    lines = [f"q {place[0]:.4f} 0 0 {place[1]:.4f} {place[2]:.4f} {place[3]:.4f} cm /Im0 Do Q"]
    if page.all_lines() or labels:
        lines.append(f"q {MARK_LINE} w /All CS 1 SCN /All cs 1 scn")
        for x1, y1, x2, y2, dashed in page.all_lines():
            lines.append("[3 3] 0 d" if dashed else "[] 0 d")
            lines.append(
                f"{x1 * POINTS:.4f} {(bottom - y1) * POINTS:.4f} m "
                f"{x2 * POINTS:.4f} {(bottom - y2) * POINTS:.4f} l S"
            )
        for number, (label, (width, height)) in enumerate(labels):
            high = label.height * POINTS
            lines.append(
                f"q {high * width / height:.4f} 0 0 {high:.4f} {label.x * POINTS:.4f} "
                f"{(bottom - label.y - label.height) * POINTS:.4f} cm /La{number} Do Q"
            )
        lines.append("Q")
    return "\n".join(lines)


def _written(words: str) -> PIL.Image.Image:
    """Text as a mask: in a file for a press, fonts would have to be embedded."""
    font = font_of(LETTER_PX)
    width = max(1, round(font.getlength(words)))
    mask = PIL.Image.new("1", (width, round(1.3 * LETTER_PX)))
    PIL.ImageDraw.Draw(mask).text((0, 0), words, 1, font)
    return mask


def _registration(for_press: bool) -> str:
    """Return the colour that all inks print, so that marks are on each plate."""
    space = "/DeviceCMYK" if for_press else "/DeviceGray"
    none, full = ("0 0 0 0", "1 1 1 1") if for_press else ("1", "0")
    tint = f"<</FunctionType 2 /Domain [0 1] /C0 [{none}] /C1 [{full}] /N 1>>"
    return f"[/Separation /All {space} {tint}]"


def _deflated(image: pyvips.Image, on_progress: OnFraction | None) -> Iterator[bytes]:
    """Yield the compressed samples, each row as its difference from the one above (PNG's filter 2)."""
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
        if on_progress is not None:
            on_progress((y + count) / image.height)
    yield packer.flush()


def _as_jpeg(
    image: pyvips.Image, scratch: Path, quality: int, full: bool, on_progress: OnFraction | None
) -> Iterator[bytes]:  # fmt: skip
    """Yield the picture as a JPEG, written beside the page and read block by block."""
    try:
        image = image.copy()
        chroma = "off" if full else "on"

        def save() -> None:
            image.jpegsave(str(scratch), Q=quality, subsample_mode=chroma, keep="none")

        write_with_progress(image, save, on_progress, 0.9)
        with scratch.open("rb") as file:
            while block := file.read(STRIP_BYTES):
                yield block
    finally:
        scratch.unlink(missing_ok=True)


def _box(name: str, box: Rect, bottom: float) -> str:
    """Return a box in points, from the sheet's bottom left corner."""
    sides = (box.left, bottom - box.bottom, box.right, bottom - box.top)
    return f"/{name}Box [{' '.join(f'{side * POINTS:.4f}' for side in sides)}]"


def _text(words: str) -> str:
    """Return a text string: UTF-16 with its mark, as hexadecimal digits."""
    return f"<feff{words.encode('utf-16-be').hex()}>" if words else "()"


class _Writer:
    """The file's objects with their places."""

    def __init__(self, file: BinaryIO) -> None:
        self.file = file
        self.places: dict[int, int] = {}
        self.last = 0
        self.digest = sha256(uuid4().bytes)
        self.put(b"%PDF-1.6\n%\xe2\xe3\xcf\xd3\n")

    def put(self, data: bytes) -> None:
        self.digest.update(data)
        self.file.write(data)

    def reserve(self) -> int:
        """Return the number of an object that will be written."""
        self.last += 1
        return self.last

    def object(self, number: int, body: str) -> None:
        self.places[number] = self.file.tell()
        self.put(f"{number} 0 obj\n{body}\nendobj\n".encode("latin-1"))

    def stream(self, number: int, entries: str, blocks: "Iterator[bytes] | list[bytes]") -> None:
        """A stream whose length is given by an object after it."""
        length = self.reserve()
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
        trailer = f"/Size {count} /Root {catalogue} 0 R /Info {info} 0 R /ID [<{name}> <{name}>]"
        self.put(f"trailer\n<<{trailer}>>\nstartxref\n{start}\n%%EOF\n".encode("ascii"))
