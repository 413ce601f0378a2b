"""What pages show, made ready for their templates. Nothing here answers a request."""

__all__ = [
    "compare",
    "draft",
    "files",
    "finishing",
    "mending",
    "prints",
    "refiners",
    "scale",
    "section",
    "sheet",
    "shortcuts",
    "workspace",
]
