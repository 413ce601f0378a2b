"""What pages show, made ready for their templates. Nothing here answers a request."""

__all__ = [
    "batches",
    "bureau",
    "compare",
    "described",
    "draft",
    "files",
    "finding",
    "finishing",
    "kiln",
    "mending",
    "prints",
    "refiners",
    "scale",
    "section",
    "sheet",
    "shortcuts",
    "workspace",
]
