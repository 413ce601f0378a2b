"""Storage: layers and swatches in and out, pyramids, files that only pass."""

__all__ = ["copies", "files", "layers", "overviews", "passing", "pyramids", "swatches"]
