"""Inlays: what can be laid over a layer, how it looks, and the layer that comes of it."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager

import numpy as np

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.fire.align import Aligned, align
from enamel.core.fire.inlay import Inlay, inlaid
from enamel.core.geometry import Box, Size
from enamel.core.masks import Drawn
from enamel.core.picture.canvas import Picture, SampleArray
from enamel.core.picture.encoded import png_of
from enamel.core.picture.reduce import reduced
from enamel.core.schedule import address
from enamel.core.upscale import Enlarged, upscaler
from enamel.kiln.models import Layer, Piece
from enamel.kiln.storage.layers import canvas_of

MOST_SHOWN = 2_500_000
"""Pixels of a preview; a larger part is shown reduced."""


def sources_of(piece: Piece, under: Layer) -> list[Layer]:
    """What can be laid over a layer: every other layer of its piece, the newest first."""
    return [layer for layer in piece.layers.order_by("-created") if layer.pk != under.pk]


@contextmanager
def opened(
    under: Layer, inlays: Sequence[Inlay]
) -> Iterator[tuple[Picture, list[tuple[Picture, Inlay]]]]:
    """A layer and what is laid over it, each with its settings.

    Raises
    ------
    Refusal
        When a source is no longer there.
    """
    known = {layer.sha256: layer for layer in under.piece.layers.all()}
    with ExitStack() as stack:
        below = stack.enter_context(canvas_of(under))
        laid: list[tuple[Picture, Inlay]] = []
        for settings in inlays:
            source = known.get(settings.source)
            if source is None:
                raise Refusal("A picture that is laid over is no longer among the piece's layers.")
            laid.append((stack.enter_context(canvas_of(source)), settings))
        yield below, laid


def address_of(under: Layer, inlays: Sequence[Inlay]) -> str:
    """Name of the pixels that come of it."""
    return address(under.sha256, [to_json(settings) for settings in inlays])


def shown(under: Layer, inlays: Sequence[Inlay], window: Box) -> bytes:
    """A part of the layer with everything laid, as 8-bit PNG.

    Up to `MOST_SHOWN` px they are the pixels that the layer will have; a larger part is put together from
    reduced pictures, so that it is there at once.
    """
    window = window.intersection(Box.whole(under.size))
    if window.empty:
        raise Refusal("This part lies outside the layer.")
    with opened(under, inlays) as (below, laid):
        if window.area <= MOST_SHOWN:
            samples = inlaid(below, laid).read(window)
        else:
            samples = _reduced(below, laid, window)
    return png_of(samples)


def _reduced(below: Picture, laid: list[tuple[Picture, Inlay]], window: Box) -> SampleArray:
    scale = (MOST_SHOWN / window.area) ** 0.5
    size = below.size.scaled(scale)
    small = _Small(below, size)
    over: list[tuple[Picture, Inlay]] = [
        (_Small(picture, size), settings) for picture, settings in laid
    ]
    part = window.scaled(scale).intersection(Box.whole(size))
    return inlaid(small, over).read(part)


class _Small:
    """A picture reduced, or enlarged where it is smaller, and held."""

    def __init__(self, picture: Picture, size: Size) -> None:
        self.size, self.channels = size, picture.channels
        if picture.size.width >= size.width:
            self.samples = reduced(picture, size)
        else:
            lazy = Enlarged(picture, size, upscaler("lanczos"))
            self.samples = np.asarray(lazy.read(Box.whole(size)))

    def read(self, box: Box) -> SampleArray:
        return self.samples[box.slices]


def places_of(under: Layer, inlays: Sequence[Inlay]) -> list[list[float]]:
    """Where each lies, as shares of the picture: left, top, width, height."""
    whole = under.size
    boxes = [
        Drawn(settings.mask, whole).bounds if settings.mask else Box.whole(whole)
        for settings in inlays
    ]
    return [
        [
            box.x / whole.width,
            box.y / whole.height,
            box.width / whole.width,
            box.height / whole.height,
        ]
        for box in boxes
    ]


def aligned(over: Layer, under: Layer) -> Aligned:
    """How a file that was brought in lies on a layer."""
    with canvas_of(over) as above, canvas_of(under) as below:
        return align(above, below)
