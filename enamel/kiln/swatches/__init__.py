"""Swatches: sheets asked for by pages, windows fired by workers."""
