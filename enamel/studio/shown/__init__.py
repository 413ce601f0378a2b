"""What pages show, made ready for their templates. Nothing here answers a request."""

__all__ = [
    "compare",
    "draft",
    "files",
    "finishing",
    "mending",
    "prints",
    "scale",
    "section",
    "sheet",
    "shortcuts",
    "workspace",
]
