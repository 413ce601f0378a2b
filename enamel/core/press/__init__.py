"""What leaves the house: files of every kind, what they are called, strips for real paper."""

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
