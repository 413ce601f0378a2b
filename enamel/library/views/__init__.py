"""Pages of pieces and layers."""
