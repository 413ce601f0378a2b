"""Base pictures: reading files, what they say of themselves, what can be told from their pixels."""

__all__ = [
    "cuts",
    "detector",
    "faces",
    "likeness",
    "made",
    "metadata",
    "pixels",
    "profiles",
    "reading",
    "subject",
    "xmp",
]
