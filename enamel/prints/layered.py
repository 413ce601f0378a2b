"""A piece's layers as layers of one file: what each added to the one below, with its mask."""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from functools import reduce

from enamel.core.export.openraster import StackedLayer
from enamel.core.geometry import Size
from enamel.core.masks import RenderedMask
from enamel.core.masks.coverage import Coverage, FullCoverage, Union, WithOpacity
from enamel.core.pipeline.inlay import Inlay
from enamel.core.pipeline.touchup import TouchUp
from enamel.library.layers import canvas_of
from enamel.library.models import Layer


@contextmanager
def stack_of(layer: Layer) -> Iterator[list[StackedLayer]]:
    """Provide the layers of a file from the base to this one.

    A touch-up or an inlay is its masked part alone; what has no mask covers what lies below.
    """
    with ExitStack() as stack:
        stacked: list[StackedLayer] = []
        for one in layer.chain:
            picture = stack.enter_context(canvas_of(one))
            coverage, opacity = mask_of(one, layer.size)
            below = stacked[-1].picture if coverage is not None else None
            stacked.append(StackedLayer(title_of(one), picture, below, coverage, opacity))
        yield stacked


def mask_of(layer: Layer, size: Size) -> tuple[Coverage | None, float]:
    """Return the mask of a layer's own part, in a picture of that size."""
    if layer.kind == Layer.Kind.TOUCH_UP:
        settings = TouchUp.from_json(layer.recipe["touch_up"])
        laid = [settings.placed(patch, size).laid for patch in settings.patches]
        return reduce(Union, laid), 1.0
    if layer.kind == Layer.Kind.INLAY:
        inlays = [Inlay.from_json(form) for form in layer.recipe["inlays"]]
        masks: list[Coverage] = [
            RenderedMask(one.mask, size) if one.mask else FullCoverage(size) for one in inlays
        ]
        if len(inlays) == 1:
            return masks[0], inlays[0].opacity
        thinned: list[Coverage] = [
            WithOpacity(mask, one.opacity) for mask, one in zip(masks, inlays, strict=True)
        ]
        return reduce(Union, thinned), 1.0
    return None, 1.0


def title_of(layer: Layer) -> str:
    """Return a layer's name in the layer list of other programs."""
    seed = "" if layer.seed is None else f", seed {layer.seed}"
    return f"{layer.get_kind_display()} {layer.width} × {layer.height}{seed}"
