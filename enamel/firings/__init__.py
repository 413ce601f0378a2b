"""Firings: schedules, presets, runs of them, predictions, and checks of layers."""
