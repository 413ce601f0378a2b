"""Forms of touch-ups and inlays."""
