"""Settings of print files: kind, colours, compression, metadata."""

from dataclasses import dataclass, replace
from enum import StrEnum
from pathlib import Path
from typing import Any, ClassVar

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
from enamel.core.imaging.buffer import ColourSpace
from enamel.core.printing.layout import PrintPlan
from enamel.core.printing.paper import PaperStock
from enamel.core.printing.profiles import SRGB, Intent, profile_of
from enamel.core.printing.sizing import PRINT_PPI


class FileFormat(StrEnum):
    """Kinds of print files."""

    PNG = "png"
    TIFF = "tiff"
    JPEG = "jpeg"
    WEBP = "webp"
    AVIF = "avif"
    PDF = "pdf"
    OPENRASTER = "ora"
    SVG = "svg"

    @classmethod
    def of(cls, path: Path) -> "FileFormat":
        """Return the format that a file name asks for."""
        known = {suffix: kind for kind, suffixes in SUFFIXES.items() for suffix in suffixes}
        try:
            return known[path.suffix.lower()]
        except KeyError:
            raise Refusal(
                f"{path.name} ends in {path.suffix or 'nothing'}; name it "
                f"{', '.join(sorted(known)[:-1])} or {max(known)}."
            ) from None

    @property
    def label(self) -> str:
        """Its label on pages."""
        return LABELS.get(self, self.upper())

    @property
    def suffix(self) -> str:
        """Its suffix."""
        return SUFFIXES[self][0]

    @property
    def media_type(self) -> str:
        return MEDIA_TYPES.get(self, f"image/{self}")


SUFFIXES = {
    FileFormat.PNG: (".png",),
    FileFormat.TIFF: (".tif", ".tiff"),
    FileFormat.JPEG: (".jpg", ".jpeg"),
    FileFormat.WEBP: (".webp",),
    FileFormat.AVIF: (".avif",),
    FileFormat.PDF: (".pdf",),
    FileFormat.OPENRASTER: (".ora",),
    FileFormat.SVG: (".svg",),
}
LABELS = {
    FileFormat.WEBP: "WebP",
    FileFormat.OPENRASTER: "OpenRaster (layers)",
    FileFormat.SVG: "SVG (traced curves)",
}
MEDIA_TYPES = {
    FileFormat.PDF: "application/pdf",
    FileFormat.OPENRASTER: "image/openraster",
    FileFormat.SVG: "image/svg+xml",
}
ZIP_TYPE = "application/zip"
UNPRINTED = (FileFormat.OPENRASTER, FileFormat.SVG)
"""Kinds that contain the layer without a print's layout, for work in other programs."""
ON_SCREEN = (FileFormat.WEBP, FileFormat.AVIF)
"""Kinds that are for screens only: 8 bits."""
HOLD_INK = (FileFormat.TIFF, FileFormat.PDF, FileFormat.JPEG)
"""Kinds that can hold CMYK."""
DEEP = (FileFormat.TIFF, FileFormat.PNG, FileFormat.OPENRASTER)
"""Kinds that can hold 16 bits."""
OPAQUE = (FileFormat.JPEG, FileFormat.PDF)
"""Kinds without transparency: it is flattened on white."""


class Compression(StrEnum):
    """Compression of TIFF files; all of these are lossless."""

    ZIP = "zip"
    LZW = "lzw"
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Output:
    """A kind of file and how it is written."""

    file: FileFormat = setting(FileFormat.TIFF, "The kind of file.")
    bits: int = integer(
        8, 8, 16, "Bits per sample, 8 or 16; only TIFF, PNG and OpenRaster have 16."
    )
    compression: Compression = setting(Compression.ZIP, "How a TIFF is packed.")
    tiled: bool = setting(False, "Whether a TIFF is cut into tiles instead of strips.")
    quality: int = integer(92, 30, 100, "Of what is packed with loss; 100 packs a PDF without.")
    full_colour: bool = setting(True, "Whether a JPEG keeps its colours at full resolution.")
    profile: str = setting(SRGB, "The colour profile its numbers are for.")
    intent: Intent = setting(Intent.RELATIVE, "What happens to colours that paper can't show.")
    black_point: bool = setting(True, "Whether black is brought to the paper's black.")
    paper: PaperStock = setting(PaperStock.NONE, "Paper that it is sharpened for.")
    longest: int = integer(
        0, 0, 65_500, "Longest side at most, for screen copies; 0 for all.", "px"
    )
    preview: bool = setting(False, "Whether it is marked as a preview copy.")
    marks: bool = setting(False, "Whether a PDF page has crop marks.")
    colours: int = integer(12, 2, 48, "Colours that a trace is made of, at most.")
    speckle: int = integer(4, 0, 40, "Side of the largest speck that a trace leaves out.", "px")
    metadata: bool = setting(
        True,
        "Whether its metadata says how it was made; without, only size and colour are written.",
    )

    RENAMED: ClassVar[dict[str, str]] = {"speaks": "metadata"}

    def __post_init__(self) -> None:
        check_fields(self)
        require(self.bits in (8, 16), "bits", self.bits, "8 or 16")
        space = profile_of(self.profile).space
        if space is ColourSpace.CMYK and self.file not in HOLD_INK:
            kinds = " or ".join(kind.label for kind in HOLD_INK)
            raise FieldRefusal("profile", f"{self.file.label} holds no CMYK; choose {kinds}.")
        if self.file in (*ON_SCREEN, *UNPRINTED) and self.profile != SRGB:
            raise FieldRefusal("profile", f"{self.file.label} has sRGB colours; choose sRGB.")

    @property
    def depth(self) -> int:
        """Bits per sample of the file."""
        return self.bits if self.file in DEEP else 8


@dataclass(frozen=True, slots=True)
class PrintSettings:
    """A print file: its output settings, and the picture's placement."""

    output: Output = setting(Output(), "The file.")
    plan: PrintPlan | None = setting(
        None, "The print it is laid on; null writes the picture as it is."
    )
    ppi: float = number(PRINT_PPI, 10, 4800, "Resolution where there is no print.", "ppi")

    def __post_init__(self) -> None:
        check_fields(self)

    @property
    def laid_on(self) -> PrintPlan | None:
        """The print that the file is for; None for kinds that contain the whole picture."""
        return None if self.output.file in UNPRINTED else self.plan

    @property
    def parts(self) -> bool:
        """Whether it is a ZIP of panels: split, and of a kind without pages."""
        plan = self.laid_on
        return plan is not None and bool(plan.split) and self.output.file is not FileFormat.PDF

    @property
    def suffix(self) -> str:
        return ".zip" if self.parts else self.output.file.suffix

    @property
    def media_type(self) -> str:
        return ZIP_TYPE if self.parts else self.output.file.media_type

    @classmethod
    def from_json(cls, given: Any) -> "PrintSettings":
        """Return settings from JSON, also from the form before there were profiles."""
        if isinstance(given, dict) and isinstance(given.get("file"), str) and "output" not in given:
            before = {name: given[name] for name in ("file", "bits") if name in given}
            given = {"output": before} | {k: given[k] for k in ("plan", "ppi") if given.get(k)}
        return from_json(cls, given)

    def to_json(self) -> dict[str, Any]:
        form: dict[str, Any] = to_json(self)
        return form

    def as_file(self, path: Path) -> "PrintSettings":
        """Return the same with the kind of file that a name asks for: ``x.tif``, or ``x.tif.zip`` for
        panels.

        Raises
        ------
        Refusal
            When the name asks for panels and the print is not split, or the other way round.
        """
        zipped = path.suffix.lower() == ".zip"
        kind = FileFormat.of(path.with_suffix("") if zipped else path)
        settings = replace(self, output=replace(self.output, file=kind))
        if settings.parts and not zipped:
            raise Refusal(
                f"This print is split over sheets; name it {path.name}.zip, or {path.stem}.pdf."
            )
        if zipped and not settings.parts:
            raise Refusal(f"This print is one picture; name it {path.stem}.")
        return settings


def print_schema() -> dict[str, Any]:
    """Return the published JSON Schema of settings of print files (`docs/reference/print.schema.json`)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Enamel print file",
        "description": "What a print file is and how the picture is placed in it.",
        **json_schema(PrintSettings),
    }
