"""Print files: write them in every format, name them, and make test strips."""

__all__ = [
    "file",
    "hearing",
    "lettering",
    "naming",
    "openraster",
    "output",
    "pdf",
    "placed",
    "strip",
    "trace",
]
