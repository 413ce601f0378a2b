"""What a print file is: its kind, colours, compression, and what it says of itself."""

from dataclasses import dataclass, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

from enamel.core.errors import FieldRefusal, Refusal, require
from enamel.core.fields import (
    check_fields,
    from_json,
    integer,
    json_schema,
    number,
    setting,
    to_json,
)
from enamel.core.print.layout import PrintPlan
from enamel.core.print.paper import Paper
from enamel.core.print.profiles import SRGB, Intent, Space, profile_of
from enamel.core.print.sizing import PRINT_PPI


class FileFormat(StrEnum):
    """What a print file can be."""

    PNG = "png"
    TIFF = "tiff"
    JPEG = "jpeg"
    WEBP = "webp"
    AVIF = "avif"
    PDF = "pdf"

    @classmethod
    def of(cls, path: Path) -> "FileFormat":
        """The format that a file name asks for."""
        known = {suffix: kind for kind, suffixes in SUFFIXES.items() for suffix in suffixes}
        try:
            return known[path.suffix.lower()]
        except KeyError:
            raise Refusal(
                f"{path.name} ends in {path.suffix or 'nothing'}; name it "
                f"{', '.join(sorted(known)[:-1])} or {max(known)}."
            ) from None

    @property
    def suffix(self) -> str:
        """How such files end."""
        return SUFFIXES[self][0]

    @property
    def media_type(self) -> str:
        return "application/pdf" if self is FileFormat.PDF else f"image/{self}"


SUFFIXES = {
    FileFormat.PNG: (".png",),
    FileFormat.TIFF: (".tif", ".tiff"),
    FileFormat.JPEG: (".jpg", ".jpeg"),
    FileFormat.WEBP: (".webp",),
    FileFormat.AVIF: (".avif",),
    FileFormat.PDF: (".pdf",),
}
ON_SCREEN = (FileFormat.WEBP, FileFormat.AVIF)
"""Kinds that are for screens only: 8 bits, sRGB."""
HOLD_INK = (FileFormat.TIFF, FileFormat.PDF, FileFormat.JPEG)
"""Kinds that can hold CMYK."""
OPAQUE = (FileFormat.JPEG, FileFormat.PDF)
"""Kinds that hold no transparency: it is laid on white."""


class Compression(StrEnum):
    """How a TIFF's samples are packed; none of these loses anything."""

    ZIP = "zip"
    LZW = "lzw"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Output:
    """A kind of file and how it is written."""

    file: FileFormat = setting(FileFormat.TIFF, "The kind of file.")
    bits: int = integer(8, 8, 16, "Bits per sample, 8 or 16; JPEG, WebP and AVIF have 8.")
    compression: Compression = setting(Compression.ZIP, "How a TIFF is packed.")
    tiled: bool = setting(False, "Whether a TIFF is cut into tiles instead of strips.")
    quality: int = integer(92, 30, 100, "Of what is packed with loss; 100 packs a PDF without.")
    full_colour: bool = setting(True, "Whether a JPEG keeps its colours at full resolution.")
    profile: str = setting(SRGB, "The colour profile its numbers are for.")
    intent: Intent = setting(Intent.RELATIVE, "What happens to colours that paper can't show.")
    black_point: bool = setting(True, "Whether black is brought to the paper's black.")
    paper: Paper = setting(Paper.NONE, "Paper that it is sharpened for.")
    longest: int = integer(
        0, 0, 65_500, "Longest side at most, for screen copies; 0 for all.", "px"
    )
    preview: bool = setting(False, "Whether it is marked as a preview copy.")
    marks: bool = setting(False, "Whether a PDF page has crop marks.")
    speaks: bool = setting(
        True, "Whether it says how it was made; no strips all but size and colour."
    )

    def __post_init__(self) -> None:
        check_fields(self)
        require(self.bits in (8, 16), "bits", self.bits, "8 or 16")
        space = profile_of(self.profile).space
        if space is Space.CMYK and self.file not in HOLD_INK:
            kinds = " or ".join(kind.upper() for kind in HOLD_INK)
            raise FieldRefusal("profile", f"{self.file.upper()} holds no CMYK; choose {kinds}.")
        if self.file in ON_SCREEN and self.profile != SRGB:
            raise FieldRefusal("profile", f"{self.file.upper()} is for screens; choose sRGB.")

    @property
    def depth(self) -> int:
        """Bits that such a file really has."""
        return self.bits if self.file in (FileFormat.TIFF, FileFormat.PNG) else 8


@dataclass(frozen=True, slots=True)
class PrintSettings:
    """A print file: what it is, and how the picture lies in it."""

    output: Output = setting(Output(), "The file.")
    plan: PrintPlan | None = setting(
        None, "The print it is laid on; null writes the picture as it is."
    )
    ppi: float = number(PRINT_PPI, 10, 4800, "Resolution where there is no print.", "ppi")

    def __post_init__(self) -> None:
        check_fields(self)

    @classmethod
    def from_json(cls, given: Any) -> "PrintSettings":
        """Settings from JSON, also from the form of before there were profiles."""
        if isinstance(given, dict) and isinstance(given.get("file"), str) and "output" not in given:
            before = {name: given[name] for name in ("file", "bits") if name in given}
            given = {"output": before} | {k: given[k] for k in ("plan", "ppi") if given.get(k)}
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        form: dict[str, Any] = to_json(self)
        return form

    def as_file(self, path: Path) -> "PrintSettings":
        """The same with the kind of file that a name asks for."""
        return replace(self, output=replace(self.output, file=FileFormat.of(path)))


def print_schema() -> dict[str, Any]:
    """The published JSON Schema of settings of print files (`docs/print.schema.json`)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Enamel print file",
        "description": "What a print file is and how the picture lies in it.",
        **json_schema(PrintSettings),
    }
