"""Masks: drawn as steps that know no pixels, read by the box at any size; or measured."""

from enamel.core.masks.drawn import Drawn
from enamel.core.masks.steps import Mask

__all__ = ["Drawn", "Mask"]
