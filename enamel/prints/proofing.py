"""Soft proofs of layers as tiles, and the facts behind the notices about a print."""

import numpy as np
import pyvips

from enamel.core.checks.findings import Kind, Severity
from enamel.core.errors import Refusal
from enamel.core.export.output import PrintSettings
from enamel.core.export.placed import PlacedPicture, laid
from enamel.core.geometry import Box, Size
from enamel.core.imaging.buffer import ColourSpace, PixelBuffer
from enamel.core.printing.layout import PrintPlan, native
from enamel.core.printing.preflight import PrintFacts
from enamel.core.printing.profiles import converted, profile_of, total_ink
from enamel.core.printing.proof import Proof, fraction_out_of_gamut, proofed
from enamel.library import faces
from enamel.library.models import Layer
from enamel.library.overviews import overview_of
from enamel.library.pyramids import OVERLAP, TILE, archives

NEEDS_MENDING = 1.0
"""How much a face needs mending, 0 to 3, from which a touch-up is advised."""
SHOWN = 2048
"""Longest side of a picture shown on its sheet, in px."""


def tile(layer: Layer, level: int, column: int, row: int, proof: Proof) -> bytes | None:
    """Return a pyramid's tile as it will look on paper, as PNG; None when there is no such tile."""
    if not layer.ready or not 0 <= level <= _deepest(layer):
        return None
    scale = 2.0 ** (level - _deepest(layer))
    whole = Box.whole(_size_at(layer, level))
    box = Box(column * TILE, row * TILE, TILE, TILE).grown(OVERLAP).intersection(whole)
    if column < 0 or row < 0 or Box(column * TILE, row * TILE, 1, 1).intersection(whole).empty:
        return None
    around = box.grown(proof.margin(scale)).intersection(whole)
    seen = _area(layer.pyramid.name, level, around)
    shown = proofed(seen, proof, scale).cropped(box.relative_to(around))
    data: bytes = shown.image.pngsave_buffer(compression=1)
    return data


def _area(pyramid: str, level: int, box: Box) -> PixelBuffer:
    """Return a part of a level, composed of its tiles: three bands of 16-bit sRGB."""
    made = np.empty((box.height, box.width, 3), np.uint8)
    for row in range(box.y // TILE, (box.bottom - 1) // TILE + 1):
        for column in range(box.x // TILE, (box.right - 1) // TILE + 1):
            png = archives.tile(pyramid, level, column, row)
            if png is None:
                raise Refusal("This layer is not ready to be looked at; try again in a moment.")
            image = pyvips.Image.new_from_buffer(png, "")
            pixels = PixelBuffer(image, bits=8, alpha=image.hasalpha()).flattened().image.numpy()
            left, top = (max(0, place * TILE - OVERLAP) for place in (column, row))
            covers = Box(left, top, pixels.shape[1], pixels.shape[0]).intersection(box)
            made[covers.relative_to(box).slices] = pixels[
                covers.relative_to(Box(left, top, 1, 1)).slices
            ]
    return PixelBuffer.of_samples(made.astype(np.uint16) * np.uint16(257))


def laid_picture(layer: Layer, plan: PrintPlan | None) -> bytes:
    """Return a layer as it is placed on a print, reduced, as WebP: cropped and extended like its file."""
    if not layer.ready:
        raise Refusal("This layer is not ready to be looked at; try again in a moment.")
    deepest = _deepest(layer)
    level = deepest
    while level and max(_size_at(layer, level)) > SHOWN:
        level -= 1
    size = _size_at(layer, level)
    picture = _area(layer.pyramid.name, level, Box.whole(size))
    if plan is not None:
        layout, _ = native(size, plan)
        picture = PlacedPicture(layout, plan).on(picture)
    data: bytes = picture.eight_bits().image.webpsave_buffer(Q=90)
    return data


def _deepest(layer: Layer) -> int:
    """Return the number of a pyramid's full-size level."""
    return (max(layer.size) - 1).bit_length()


def _size_at(layer: Layer, level: int) -> Size:
    by = 2 ** (_deepest(layer) - level)
    return Size(*(max(1, -(-side // by)) for side in layer.size))


def known_of(layer: Layer, wanted: PrintSettings) -> PrintFacts:
    """Return the facts about a layer and a wanted file that notices follow from."""
    _, ppi, _ = laid(wanted, layer.size)
    output, chain = wanted.output, layer.chain
    profile = profile_of(output.profile)
    ink = out = None
    if layer.surveyed:
        cells = overview_of(layer).cells
        out = fraction_out_of_gamut(cells, profile)
        if profile.space is ColourSpace.CMYK:
            picture = PixelBuffer.of_samples(cells)
            ink = total_ink(converted(picture, profile, output.intent, output.black_point, 8))
    newest = layer.piece.layers.latest("created")
    return PrintFacts(
        ppi=ppi,
        plan=wanted.laid_on,
        paper=output.paper,
        newest=newest.pk == layer.pk,
        sharpened=any(_sharpens(one) for one in chain),
        joins=_joins(layer),
        faces=_unmended(layer, chain),
        out_of_gamut=None if profile.space is ColourSpace.GREY else out,
        ink=ink,
    )


def _sharpens(layer: Layer) -> bool:
    recipe = layer.recipe.get("finish") or {}
    return bool(recipe.get("sharpen", {}).get("on"))


def _joins(layer: Layer) -> int | None:
    """Number of visible joins that a layer's checks found, without slight ones; None when it was not
    checked.
    """
    if not layer.checked or not layer.checks:
        return None
    return sum(
        finding["kind"] == Kind.JOIN and finding["severity"] != Severity.SLIGHT
        for finding in layer.checks["findings"]
    )


def _unmended(layer: Layer, chain: list[Layer]) -> int | None:
    """Return faces that need mending and are in no touch-up so far."""
    if layer.piece.base.faces is None:
        return None
    mended = [
        place for one in chain if one.kind == Layer.Kind.TOUCH_UP for place in one.recipe["places"]
    ]
    wanting = [
        listed.face.box for listed in faces.listed(layer) if listed.facts.need > NEEDS_MENDING
    ]
    return sum(not any(_within(box, place, layer.size) for place in mended) for box in wanting)


def _within(box: Box, place: list[float], size: Size) -> bool:
    """Return whether the middle of a face is in a place, given as fractions of the picture."""
    x, y = (box.x + box.width / 2) / size.width, (box.y + box.height / 2) / size.height
    left, top, width, height = place
    return left <= x <= left + width and top <= y <= top + height
