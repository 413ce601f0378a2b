"""Models: pieces, their layers, masks and laid files."""

from enamel.library.models.layers import Layer
from enamel.library.models.overlays import KeptMask, LaidFile
from enamel.library.models.pieces import Piece, ScheduleStep

__all__ = ["KeptMask", "LaidFile", "Layer", "Piece", "ScheduleStep"]
