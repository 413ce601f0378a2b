"""Prints: sizes and papers, how a picture lies on them, the files that are taken away."""

__all__ = [
    "file",
    "layout",
    "naming",
    "output",
    "paper",
    "papers",
    "pdf",
    "profiles",
    "sizing",
    "strip",
]
