"""Touch-ups and inlays: places refined again, pictures set into others."""
