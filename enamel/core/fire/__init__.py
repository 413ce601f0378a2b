"""Firings: schedules run coat by coat, predicted, planned, tried on sheets, and touched up."""

__all__ = [
    "align",
    "firing",
    "inlay",
    "join",
    "pace",
    "planning",
    "predict",
    "sheets",
    "touchup",
    "treatment",
    "windows",
]
