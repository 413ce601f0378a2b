"""Swatches: sheets asked for by pages, windows fired by workers."""

__all__ = ["asking", "nearness", "running"]
