"""Firings: schedules and presets, runs of them, their checks and predictions."""
