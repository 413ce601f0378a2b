"""Pictures: samples in files, colour, reducing and softening, to the same bits in any window."""

__all__ = [
    "canvas",
    "cells",
    "colour",
    "encoded",
    "mapped",
    "reduce",
    "soften",
    "transparency",
    "vips",
]
