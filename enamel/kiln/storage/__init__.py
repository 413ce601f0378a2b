"""Storage: layers and swatches in and out, pyramids, files that only pass."""

__all__ = ["files", "layers", "overviews", "passing", "pyramids", "swatches"]
