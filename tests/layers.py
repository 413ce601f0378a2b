"""Layers for tests, made without a network."""

from pathlib import Path

import numpy as np

from enamel.core.fields import to_json
from enamel.core.geometry import Box
from enamel.core.imaging.canvas import Canvas, SampleArray
from enamel.core.schedule import Coat, Refine, content_key
from enamel.firings import checking
from enamel.library import layers as store
from enamel.library.models import Layer, Piece


def layer_of(
    piece: Piece, samples: SampleArray, folder: Path, *, checked: bool = True, **refine: object
) -> Layer:
    """A layer of the piece with these samples, as if a coat of those settings had made it."""
    height, width, channels = samples.shape
    path = folder / f"layer-{piece.layers.count()}.npy"
    with Canvas.create(path, Box(0, 0, width, height), channels) as canvas:
        canvas.write(canvas.region, samples)
    settings = Refine(**({"tile": (128, 128), "overlap": 32} | refine))  # type: ignore[arg-type]
    coat = Coat(factor=width / piece.base.width, upscaler="lanczos", refine=settings)
    recipe = {"coat": to_json(coat)}
    layer = store.add_layer(
        piece, Canvas(path), kind=Layer.Kind.COAT, parent=piece.base, recipe=recipe,
        content_key=content_key(recipe, str(path)), seed=settings.seed, seconds=12.5,
    )  # fmt: skip
    store.prepare(layer)
    if checked:
        checking.check_layer(layer)
    return layer


def enlarged(samples: SampleArray, factor: int = 2) -> SampleArray:
    """Samples by nearest neighbour, so that every colour of the base stays what it is."""
    return np.repeat(np.repeat(samples, factor, axis=0), factor, axis=1)
