"""Make a layer by finishing another."""

from collections.abc import Iterator
from contextlib import contextmanager

from enamel.core.errors import Refusal
from enamel.core.fields import to_json
from enamel.core.finishing.finished import Finished
from enamel.core.finishing.overview import Overview
from enamel.core.finishing.recipe import Finish
from enamel.core.schedule import content_key
from enamel.library.layers import canvas_of
from enamel.library.models import Layer
from enamel.library.overviews import overview_of

VERSION = 1
"""Raised when the same recipe gives different pixels."""


def reference_of(layer: Layer, recipe: Finish) -> Overview | None:
    """Return the overview of the layer that a recipe matches to; None where it does not match."""
    if not recipe.match.on:
        return None
    return overview_of(matched_to(layer, recipe.match.to))


def matched_to(layer: Layer, sha256: str) -> Layer:
    found = layer.piece.layers.filter(sha256=sha256).first() if sha256 else layer.piece.base
    if found is None or not found.overview:
        raise Refusal(
            "The layer that this one is to be matched to is not there, or not measured yet; choose "
            "another under “Match”."
        )
    return found


def finish_key(layer: Layer, recipe: Finish) -> str:
    """Return the content key of a recipe's result; unused settings do not change it."""
    steps = {name: to_json(step) for name, step in recipe.steps.items()}
    reference = matched_to(layer, recipe.match.to).sha256 if recipe.match.on else ""
    return content_key(layer.sha256, "finish", VERSION, steps, reference)


@contextmanager
def opened(layer: Layer, recipe: Finish) -> Iterator[Finished]:
    """Provide a layer with its finish, to be read by the box.

    Raises
    ------
    Refusal
        When the layer that it matches to does not exist any more.
    """
    with canvas_of(layer) as canvas:
        yield Finished(canvas, recipe, overview_of(layer), reference_of(layer, recipe))
