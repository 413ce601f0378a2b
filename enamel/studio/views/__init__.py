"""Views: each fetches, asks and answers; none computes."""

__all__ = [
    "access",
    "account",
    "arrivals",
    "batches",
    "compare",
    "files",
    "finishing",
    "firings",
    "house",
    "inlays",
    "kiln",
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
