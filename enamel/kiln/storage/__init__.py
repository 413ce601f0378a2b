"""Storage: layers and swatches in and out, pyramids, files that only pass."""
