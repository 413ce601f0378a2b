"""Test strips: the same crop with several settings, at its true size on paper, with ruler and patches."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.ImageDraw

from enamel.core.errors import require
from enamel.core.export.file import export
from enamel.core.export.lettering import font_of, lines_of
from enamel.core.export.output import Output
from enamel.core.export.progress import OnFraction
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import WHITE, Canvas, SampleArray
from enamel.core.printing.sizing import px_of

INK = (27, 29, 34)
PAPER = (255, 255, 255)
LABEL_MM = 2.2
"""Height of the text on paper."""
LINES = 3
"""Most lines of a label."""
GAP_MM = 3.0
PATCH_MM = 8.0
RULER_MM = 4.0
"""Length of a ruler's centimetre mark."""
MOST_PIXELS = 200_000_000
GREYS = tuple((round(255 * step / 10),) * 3 for step in range(11))
COLOURS = (
    (0, 158, 224), (226, 0, 122), (255, 236, 0), (226, 0, 26), (0, 144, 54), (45, 46, 131),
    (241, 206, 178), (141, 96, 72), (94, 122, 62), (120, 160, 205), (184, 112, 60),
)  # fmt: skip
"""The inks and their pairs as a screen shows them; two skins, leaves, sky, copper."""


@dataclass(frozen=True, slots=True)
class LabelledCrop:
    """One crop with its settings; None for an empty place.

    Its samples are read when it is drawn, so that they are not all in memory at once.
    """

    samples: Callable[[], SampleArray] | None
    label: str


@dataclass(frozen=True, slots=True)
class _Plan:
    """The layout of a strip, in px."""

    crop: Size
    columns: int
    rows: int
    writing: int
    gap: int
    foot: int

    @property
    def below(self) -> int:
        """Room under a crop for the lines of its label."""
        return LINES * round(1.3 * self.writing) + self.gap

    @property
    def head(self) -> int:
        return 2 * self.gap + round(1.3 * self.writing)

    @property
    def size(self) -> Size:
        across = self.gap + self.columns * (self.crop.width + self.gap)
        down = self.head + self.rows * (self.crop.height + self.below) + self.foot
        return Size(across, down)

    def place(self, number: int) -> Box:
        x = self.gap + number % self.columns * (self.crop.width + self.gap)
        y = self.head + number // self.columns * (self.crop.height + self.below)
        return Box(x, y, *self.crop)


def write_strip(
    crops: Sequence[LabelledCrop],
    size: Size,
    columns: int,
    path: Path,
    *,
    ppi: float,
    title: str,
    output: Output,
    patches: bool = False,
    on_progress: OnFraction | None = None,
) -> Size:
    """Write crops in rows, each pixel of a crop one pixel of the file, their labels below.

    Parameters
    ----------
    crops : row by row.
    size : of each crop.
    columns : crops in a row.
    ppi : resolution written into the file, so that crops print at their true size.
    title : a line above all.
    output : what kind of file.
    patches : whether a ruler, a row of greys and a row of colours stand below.

    Returns
    -------
    The file's size in px.
    """
    writing, gap = max(9, px_of(LABEL_MM, ppi)), max(6, px_of(GAP_MM, ppi))
    patch, ruler = px_of(PATCH_MM, ppi), px_of(RULER_MM, ppi)
    foot = 2 * patch + ruler + round(1.3 * writing) + 3 * gap if patches else 0
    plan = _Plan(size, columns, -(-len(crops) // columns), writing, gap, foot)
    across, down = plan.size
    require(across * down <= MOST_PIXELS, "sheet", f"{across} × {down} px",
            f"at most {MOST_PIXELS // 1_000_000} megapixels")  # fmt: skip
    scratch = path.with_suffix(".sheet")
    try:
        with Canvas.create(scratch, Box.whole(plan.size), 3) as sheet:
            for band in sheet.bands():
                sheet.write(band, np.full((band.height, band.width, 3), WHITE, np.uint16))
            _write_line(
                sheet, title, Box(gap, gap, across - 2 * gap, round(1.3 * writing)), writing
            )
            for number, crop in enumerate(crops):
                _write_crop(sheet, crop, plan.place(number), plan)
            if patches:
                _write_foot(sheet, plan, ppi, patch, ruler)
            export(sheet, path, ppi=ppi, output=output, on_progress=on_progress)
    finally:
        scratch.unlink(missing_ok=True)
    return plan.size


def _write_crop(sheet: Canvas, crop: LabelledCrop, place: Box, plan: _Plan) -> None:
    if crop.samples is not None:
        sheet.write(place, crop.samples()[..., :3])
    line = round(1.3 * plan.writing)
    for number, words in enumerate(lines_of(crop.label, plan.writing, place.width, LINES)):
        _write_line(
            sheet,
            words,
            Box(place.x, place.bottom + number * line, place.width, line),
            plan.writing,
        )


def _write_line(sheet: Canvas, words: str, box: Box, writing: int) -> None:
    drawn = PIL.Image.new("RGB", box.size, PAPER)
    PIL.ImageDraw.Draw(drawn).text((0, 0), words, INK, font_of(writing))
    sheet.write(box, _samples(drawn))


def _write_foot(sheet: Canvas, plan: _Plan, ppi: float, patch: int, ruler: int) -> None:
    """Write a ruler in mm, eleven greys from black to white, and colours that are hard to print or
    familiar.
    """
    across, down = plan.size
    top, width = down - plan.foot, across - 2 * plan.gap
    line = round(1.3 * plan.writing)
    drawn = PIL.Image.new("RGB", (width, ruler + line), PAPER)
    pen = PIL.ImageDraw.Draw(drawn)
    font = font_of(plan.writing)
    thick = max(1, px_of(0.15, ppi))
    for mm in range(int(width / px_of(100, ppi) * 100)):
        x = px_of(mm, ppi) if mm else 0
        fraction = 1.0 if mm % 10 == 0 else 0.7 if mm % 5 == 0 else 0.4
        pen.line((x, 0, x, round(ruler * fraction)), INK, thick)
        if mm % 10 == 0:
            pen.text(
                (x + 2 * thick, ruler - round(0.3 * line)),
                f"{mm // 10}" if mm else "0 cm",
                INK,
                font,
            )
    sheet.write(Box(plan.gap, top, width, ruler + line), _samples(drawn))
    top += ruler + line + plan.gap
    for row in (GREYS, COLOURS):
        side = min(patch, width // len(row))
        for number, colour in enumerate(row):
            box = Box(plan.gap + number * side, top, side, patch)
            sheet.write(box, np.full((patch, side, 3), np.array(colour) * 257, np.uint16))
        top += patch + plan.gap // 2


def _samples(image: PIL.Image.Image) -> SampleArray:
    return np.asarray(image, np.uint16) * np.uint16(257)


def difference_labels(facts: Sequence[Mapping[str, str]]) -> list[str]:
    """Return a label for each, of the facts that differ; of all facts where none differs.

    Parameters
    ----------
    facts : what made each, in words, by what it is about, in the order in which it is to be said.
    """
    names = list(dict.fromkeys(name for one in facts for name in one))
    different = [name for name in names if len({one.get(name) for one in facts}) > 1]
    captions = different if len(facts) > 1 and different else names
    return [", ".join(one[name] for name in captions if one.get(name)) for one in facts]
