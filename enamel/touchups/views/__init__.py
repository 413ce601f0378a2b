"""Pages of touch-ups and inlays."""
