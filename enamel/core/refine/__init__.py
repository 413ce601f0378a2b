"""The tiled engine: cutting, words for tiles, the two modes of a pass, and what joins and colour need."""

__all__ = [
    "anchor",
    "blended",
    "joint",
    "passes",
    "protect",
    "separate",
    "spread",
    "state",
    "tilestore",
    "tilework",
    "tiling",
    "words",
]
