"""Models: pieces, their layers, masks and laid files."""

from enamel.library.models.layers import Layer
from enamel.library.models.overlays import LaidFile, SavedMask
from enamel.library.models.pieces import Piece, ScheduleStep

__all__ = ["LaidFile", "Layer", "Piece", "SavedMask", "ScheduleStep"]
