"""Masks: drawn as steps independent of resolution, or measured; read box by box at any size."""

from enamel.core.masks.drawn import RenderedMask
from enamel.core.masks.steps import Mask

__all__ = ["Mask", "RenderedMask"]
