"""Prints: sizes, papers and shapes, how a picture lies on them, colours as they will be printed."""

__all__ = [
    "layout",
    "page",
    "panels",
    "paper",
    "papers",
    "preflight",
    "profiles",
    "proof",
    "shapes",
    "sizing",
]
