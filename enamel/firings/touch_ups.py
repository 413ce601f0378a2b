"""Content keys of refined patches, and patches that were refined before."""

from collections.abc import Callable
from dataclasses import replace

from enamel.core import ENGINE_VERSION
from enamel.core.diffusion.refiners import refiner_of
from enamel.core.fields import to_json
from enamel.core.pipeline.touchup import Known, Origin, Patch, TouchUp
from enamel.core.schedule import content_key
from enamel.core.upscaling import upscaler
from enamel.library.models import Layer


def patch_key(layer: Layer, settings: TouchUp, patch: Patch) -> str:
    """Return name of a patch's pixels: of what they were made from and everything done to them."""
    refine = replace(settings.refine, strength=patch.strength, seed=patch.seed)
    base, enlarged_by = "", ""
    if settings.origin is Origin.BASE:
        base, enlarged_by = layer.piece.base.sha256, upscaler(settings.upscaler).digest
    return content_key(
        layer.sha256, base, enlarged_by, ENGINE_VERSION, to_json(replace(patch, over=None)),
        settings.context, to_json(refine), refiner_of(refine).spec.digest,
    )  # fmt: skip


PatchFinder = Callable[[Layer, list[str]], Known]
"""Finds the pixels of patches on a layer by their content keys."""
_finders: list[PatchFinder] = []


def register(finder: PatchFinder) -> None:
    """Have patches that were refined before found by this function."""
    _finders.append(finder)


def known_patches(layer: Layer, keys: list[str]) -> Known:
    """Return a function from a patch's number to its pixels, None where it has to be refined."""
    known = [find(layer, keys) for find in _finders]
    return lambda number: next(
        (samples for find in known if (samples := find(number)) is not None), None
    )
