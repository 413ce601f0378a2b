"""Pages of schedules, presets and firings."""
