"""Prints: sizes and papers, how a picture lies on them, the files that are taken away."""

__all__ = ["file", "layout", "papers", "sizing", "strip"]
