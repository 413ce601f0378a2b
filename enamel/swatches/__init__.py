"""Swatches: trials of a coat on a window, on sheets over one or two settings."""
