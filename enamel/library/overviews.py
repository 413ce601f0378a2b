"""Overviews of layers: means of cells and measurements, stored for finishing."""

from functools import lru_cache

import numpy as np
from django.core.files.storage import default_storage

from enamel.core.errors import Refusal
from enamel.core.finishing.facts import measured
from enamel.core.finishing.overview import Overview, cell_of
from enamel.core.geometry import Size
from enamel.core.imaging.canvas import Canvas
from enamel.library.models import Layer
from enamel.storage.files import keep_file
from enamel.storage.scratch import temporary_folder


def survey(layer: Layer, canvas: Canvas) -> None:
    """Measure a layer for finishing. The caller saves it."""
    overview = Overview.of(canvas)
    base = layer.piece.base if layer.parent_id else layer
    layer.measured = measured(canvas, overview, layer.width / base.width).to_json()
    with temporary_folder("overview") as folder:
        path = folder / "overview.npy"
        np.save(path, overview.cells)
        keep_file(layer.overview, path, f"{layer.pk}.npy")


def overview_of(layer: Layer) -> Overview:
    """Return the overview of a layer that was surveyed; a `Refusal` while it was not."""
    if not layer.surveyed:
        raise Refusal("This layer is still being measured; try again in a moment.")
    return _read(layer.overview.name, layer.size)


@lru_cache(maxsize=16)
def _read(name: str, size: Size) -> Overview:
    with default_storage.open(name, "rb") as file:
        return Overview(np.load(file), size, cell_of(size))
