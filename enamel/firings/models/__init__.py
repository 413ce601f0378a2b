"""Models: firings, checks of layers, schedule presets, timings."""

from enamel.firings.models.checks import LayerCheck
from enamel.firings.models.firings import Firing, TilePreview
from enamel.firings.models.presets import SchedulePreset
from enamel.firings.models.timings import Timing

__all__ = ["Firing", "LayerCheck", "SchedulePreset", "TilePreview", "Timing"]
