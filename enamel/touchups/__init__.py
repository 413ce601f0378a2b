"""Touch-ups and inlays: places are refined again, pictures are set into others."""
