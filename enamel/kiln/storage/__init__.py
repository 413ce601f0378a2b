"""Storage: layers in and out, their pyramids, files that only pass."""

__all__ = ["layers", "passing", "pyramids"]
