"""Make a layer by inlaying pictures into another."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Picture, Pixels, SampleArray
from enamel.core.masks import RenderedMask
from enamel.core.pipeline.inlay import Inlay
from enamel.core.schedule import content_key
from enamel.library.layers import canvas_in, canvas_of
from enamel.library.models import Layer, Piece

Finder = Callable[[Piece, str], SampleArray | None]
"""Functions that find a picture of a piece by the hash of its pixels."""
_finders: list[Finder] = []


def register(finder: Finder) -> None:
    """Register a function that finds pictures which are neither layers nor files."""
    _finders.append(finder)


@contextmanager
def opened(
    under: Layer, inlays: Sequence[Inlay]
) -> Iterator[tuple[Picture, list[tuple[Picture, Inlay]]]]:
    """Provide a layer, and the pictures laid over it with their settings.

    Raises
    ------
    Refusal
        When a source does not exist any more.
    """
    with ExitStack() as stack:
        below = stack.enter_context(canvas_of(under))
        yield below, [(_source(stack, under.piece, one.source), one) for one in inlays]


def _source(stack: ExitStack, piece: Piece, sha256: str) -> Picture:
    """Return the pixels with that hash: of a layer, a laid file or a swatch."""
    layer = piece.layers.filter(sha256=sha256).first()
    known = layer or piece.laid_files.filter(sha256=sha256).first()
    if known is not None:
        return stack.enter_context(canvas_in(known.pixels))
    for find in _finders:
        samples = find(piece, sha256)
        if samples is not None:
            return Pixels(samples)
    raise Refusal("A picture that is laid over is no longer among the piece's layers and files.")


def inlay_key(under: Layer, inlays: Sequence[Inlay]) -> str:
    """Return the content key of its result."""
    return content_key(under.sha256, [to_json(settings) for settings in inlays])


def places_of(under: Layer, inlays: Sequence[Inlay]) -> list[list[float]]:
    """Return each inlay's place as fractions of the picture: left, top, width, height."""
    whole = under.size
    boxes = [
        RenderedMask(settings.mask, whole).bounds if settings.mask else Box.whole(whole)
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
