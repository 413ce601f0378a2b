"""Compare layers, swatches and batch results side by side."""
