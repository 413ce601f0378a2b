"""A sheet of swatches as one labelled picture, to be printed at its true size or filed away."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import PIL.Image
import PIL.ImageDraw
import PIL.ImageFont

from enamel.core.errors import require
from enamel.core.geometry import Size
from enamel.core.picture.canvas import SampleArray, to_eight_bits
from enamel.core.print.output import FileFormat
from enamel.core.print.profiles import SRGB, profile_of
from enamel.core.print.sizing import px_of

INK = (27, 29, 34)
PAPER = (255, 255, 255)
LABEL_MM = 2.4
"""Height of the writing on paper."""
GAP_MM = 3.0
MOST_PIXELS = 200_000_000


@dataclass(frozen=True, slots=True)
class Labelled:
    """One crop with what it was made with; None where there is nothing to show.

    It is asked for its samples when it is drawn, so that they are not all in memory at once.
    """

    samples: Callable[[], SampleArray] | None
    label: str


def write_strip(
    crops: Sequence[Labelled],
    size: Size,
    columns: int,
    path: Path,
    *,
    ppi: float,
    title: str,
    file: FileFormat,
) -> None:
    """Write crops in rows, each pixel of a crop one pixel of the file, their labels below.

    Parameters
    ----------
    crops : row by row.
    size : of each crop.
    columns : crops in a row.
    ppi : resolution written into the file, so that crops print at their true size.
    title : a line above all.
    """
    width, height = size
    writing = max(9, px_of(LABEL_MM, ppi))
    gap = max(6, px_of(GAP_MM, ppi))
    font = PIL.ImageFont.load_default(writing)
    below = 2 * round(1.3 * writing) + gap
    rows = -(-len(crops) // columns)
    across = gap + columns * (width + gap)
    down = 2 * gap + 2 * writing + rows * (height + below)
    require(across * down <= MOST_PIXELS, "sheet", f"{across} × {down} px",
            f"at most {MOST_PIXELS // 1_000_000} megapixels")  # fmt: skip
    sheet = PIL.Image.new("RGB", (across, down), PAPER)
    pen = PIL.ImageDraw.Draw(sheet)
    pen.text((gap, gap), title, INK, font)
    for place, crop in enumerate(crops):
        x = gap + place % columns * (width + gap)
        y = 2 * gap + 2 * writing + place // columns * (height + below)
        if crop.samples is not None:
            sheet.paste(PIL.Image.fromarray(to_eight_bits(crop.samples())), (x, y))
        for line, words in enumerate(_lines(crop.label, font, width)):
            pen.text((x, y + height + 2 + line * round(1.3 * writing)), words, INK, font)
    options = {"dpi": (ppi, ppi), "icc_profile": profile_of(SRGB).data}
    if file is FileFormat.TIFF:
        sheet.save(path, "TIFF", compression="tiff_lzw", **options)
    else:
        sheet.save(path, "PNG", **options)


def _lines(
    text: str, font: PIL.ImageFont.FreeTypeFont | PIL.ImageFont.ImageFont, width: int
) -> list[str]:
    """A label in at most two lines that fit; what is left over is cut."""
    lines: list[str] = []
    for word in text.split():
        longer = f"{lines[-1]} {word}" if lines else word
        if lines and font.getlength(longer) <= width:
            lines[-1] = longer
        else:
            lines.append(word)
    return lines[:2]
