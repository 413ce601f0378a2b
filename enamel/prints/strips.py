"""Test strips and sheets of swatches as print files."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any
from uuid import UUID

import cv2

from enamel.core.diffusion.samplers import Sampler
from enamel.core.errors import FieldRefusal, Refusal
from enamel.core.export.output import Output, PrintSettings
from enamel.core.export.placed import laid
from enamel.core.export.progress import OnFraction
from enamel.core.export.strip import LabelledCrop, difference_labels, write_strip
from enamel.core.fields import check_fields, from_json, number, setting
from enamel.core.finishing.recipe import Finish
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Picture, Pixels, SampleArray
from enamel.core.printing.sizing import px_of
from enamel.core.upscaling import Enlarged, upscaler
from enamel.library.layers import canvas_of
from enamel.library.models import Layer, Piece
from enamel.swatches.jobs import base_window
from enamel.swatches.models import Swatch, SwatchSheet
from enamel.swatches.pixels import pixels_of

MOST_CROPS = 24
COLUMNS = 3
LABELLED = {
    "upscaler": "{}", "strength": "strength {}", "steps": "{} steps", "sampler": "{}",
    "hold": "hold {}", "degradation": "restore detail {}", "guidance": "guidance {}", "model": "{}",
    "seed": "seed {}",
}  # fmt: skip
"""Settings that labels name, with their abbreviations."""


@dataclass(frozen=True, slots=True)
class Strip:
    """A test strip: a crop, and the pictures that it is taken from."""

    sources: tuple[str, ...] = setting((), "layer:ID or swatch:NUMBER, in their order.")
    across: float = number(0.5, 0, 1, "Middle of the crop, as a fraction of the picture's width.")
    down: float = number(0.5, 0, 1, "Middle of the crop, as a fraction of its height.")
    width_mm: float = number(60.0, 10, 400, "Width of the crop on paper.", "mm")
    height_mm: float = number(60.0, 10, 400, "Height of the crop on paper.", "mm")

    def __post_init__(self) -> None:
        check_fields(self)

    @classmethod
    def from_json(cls, given: Any) -> "Strip":
        return from_json(cls, given)


@dataclass(frozen=True, slots=True)
class StripSource:
    """A picture that the crop is taken from: a layer, or a swatch, which is a window of a layer."""

    size: Size
    known: Box
    facts: dict[str, str]
    opened: Callable[[ExitStack], Picture]


def require_possible(layer: Layer, strip: Strip, wanted: PrintSettings) -> Size:
    """Return the size of a crop in px.

    Raises
    ------
    Refusal
        When nothing is chosen, too much, or a swatch does not cover the crop.
    """
    if not 1 <= len(strip.sources) <= MOST_CROPS:
        raise FieldRefusal("sources", f"Choose 1 to {MOST_CROPS} layers or swatches.")
    crop = crop_of(layer, strip, wanted)
    for source in sources_of(layer.piece, strip.sources):
        scaled = crop.scaled(source.size.width / layer.width)
        if not source.known.contains(scaled):
            raise Refusal(
                f"The swatch “{', '.join(source.facts.values())}” does not reach over the whole crop. Move "
                "the crop onto it, make the crop smaller, or leave it out."
            )
    return crop.size


def crop_of(layer: Layer, strip: Strip, wanted: PrintSettings) -> Box:
    """Return the crop in px of a layer, moved to lie inside it."""
    _, ppi, _ = laid(wanted, layer.size)
    width = min(px_of(strip.width_mm, ppi), layer.width)
    height = min(px_of(strip.height_mm, ppi), layer.height)
    x = round(strip.across * layer.width - width / 2)
    y = round(strip.down * layer.height - height / 2)
    return Box(
        min(layer.width - width, max(0, x)), min(layer.height - height, max(0, y)), width, height
    )


def sources_of(piece: Piece, names: Sequence[str]) -> list[StripSource]:
    """Return the pictures that a strip names.

    Raises
    ------
    Refusal
        When one of them does not exist any more.
    """
    found = []
    for name in names:
        kind, _, key = name.partition(":")
        source = {"layer": _layer, "swatch": _swatch}.get(kind, _nothing)(piece, key)
        if source is None:
            raise Refusal("One of the chosen layers or swatches is not there any more.")
        found.append(source)
    return found


def _nothing(piece: Piece, key: str) -> None:
    return None


def _layer(piece: Piece, key: str) -> StripSource | None:
    try:
        layer = piece.layers.filter(pk=UUID(key)).first()
    except ValueError:
        return None
    if layer is None:
        return None
    facts = {"kind": layer.get_kind_display(), "size": f"{layer.width} × {layer.height} px"}
    facts |= _labelled(layer.recipe.get("coat") or {}, layer.refine or {})
    if layer.kind == Layer.Kind.FINISH:
        facts["finish"] = Finish.from_json(layer.recipe["finish"]).words
    return StripSource(layer.size, Box.whole(layer.size), facts,
                  lambda stack: stack.enter_context(canvas_of(layer)))  # fmt: skip


def _swatch(piece: Piece, key: str) -> StripSource | None:
    done = Swatch.objects.filter(sheet__piece=piece, state=Swatch.State.DONE)
    swatch = done.filter(pk=int(key)).first() if key.isascii() and key.isdecimal() else None
    if swatch is None:
        return None
    sheet = swatch.sheet
    facts = {"kind": "Swatch", "size": f"{sheet.size.width} × {sheet.size.height} px"}
    facts |= _labelled(swatch.coat, swatch.refine or {})
    box = sheet.box
    return StripSource(sheet.size, box, facts,
                  lambda stack: Pixels(pixels_of(swatch), (box.x, box.y), sheet.size))  # fmt: skip


def _labelled(coat: dict[str, Any], refine: dict[str, Any]) -> dict[str, str]:
    """Return the settings that a label names."""
    known = {"upscaler": coat.get("upscaler")} | refine
    if "sampler" in refine:
        known["sampler"] = Sampler(refine["sampler"]).label
    labels = {}
    for name, words in LABELLED.items():
        value = known.get(name)
        if value is not None:
            shown = f"{value:g}" if isinstance(value, int | float) else _capital(str(value))
            labels[name] = words.format(shown)
    return labels


def _capital(word: str) -> str:
    return word[:1].upper() + word[1:]


def write(
    layer: Layer,
    strip: Strip,
    wanted: PrintSettings,
    path: Path,
    on_progress: Callable[[float], None],
) -> Size:
    """Write a test strip; return the file's size in px."""
    crop = crop_of(layer, strip, wanted)
    _, ppi, _ = laid(wanted, layer.size)
    sources = sources_of(layer.piece, strip.sources)
    labels = difference_labels([source.facts for source in sources])
    with ExitStack() as stack:
        crops = [
            LabelledCrop(_reader(source.opened(stack), source.size, layer.size, crop), label)
            for source, label in zip(sources, labels, strict=True)
        ]
        title = f"{layer.piece.title}: {strip.width_mm:g} × {strip.height_mm:g} mm at {ppi:.4g} ppi"
        return write_strip(crops, crop.size, min(COLUMNS, len(crops)), path, ppi=ppi, title=title,
                           output=wanted.output, patches=True, on_progress=on_progress)  # fmt: skip


def write_sheet(
    sheet: SwatchSheet,
    path: Path,
    output: Output,
    ppi: float,
    on_progress: OnFraction | None = None,
) -> Size:
    """Write a swatch sheet, the base first, then row by row; return the file's size."""
    columns = max(2, sheet.columns)
    crops = [LabelledCrop(lambda: base_window(sheet), "Base, enlarged by Lanczos")]
    crops += [LabelledCrop(None, "") for _ in range(columns - 1)]
    for swatch in sheet.swatches.defer("so_far"):
        label = swatch.label or "the current coat"
        if swatch.state == Swatch.State.DONE:
            crops.append(LabelledCrop(partial(pixels_of, swatch), label))
        else:
            crops.append(LabelledCrop(None, f"{label}: {swatch.state}"))
    title = f"{sheet.piece.title}, {sheet.box} of {sheet.size}, printed at {ppi:.4g} ppi"
    return write_strip(crops, sheet.box.size, columns, path, ppi=ppi, title=title, output=output,
                       on_progress=on_progress)  # fmt: skip


def _reader(picture: Picture, own: Size, reference: Size, crop: Box) -> Callable[[], SampleArray]:
    """Return a function that reads the crop from a picture that may have another size than the reference."""

    def read() -> SampleArray:
        if own == reference:
            return picture.read(crop)
        if own.width < reference.width and not isinstance(picture, Pixels):
            return Enlarged(picture, reference, upscaler("lanczos")).read(crop)
        samples = picture.read(crop.scaled(own.width / reference.width))
        way = cv2.INTER_AREA if own.width > reference.width else cv2.INTER_LANCZOS4
        made: SampleArray = cv2.resize(samples, crop.size, interpolation=way)  # type: ignore[assignment]
        return made

    return read
