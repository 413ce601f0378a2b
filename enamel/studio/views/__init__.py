"""Views: each fetches, asks and answers; none computes."""

__all__ = [
    "access",
    "account",
    "arrivals",
    "compare",
    "files",
    "finishing",
    "firings",
    "house",
    "inlays",
    "layers",
    "mending",
    "models",
    "pieces",
    "preferences",
    "prints",
    "shop",
    "swatches",
    "workspace",
]
