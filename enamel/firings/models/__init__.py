"""What the database holds of firings, schedule presets, and how long work took."""

from enamel.firings.models.firings import Firing, TilePreview
from enamel.firings.models.presets import SchedulePreset
from enamel.firings.models.timings import Timing

__all__ = ["Firing", "SchedulePreset", "TilePreview", "Timing"]
