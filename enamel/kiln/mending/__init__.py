"""Touch-ups and inlays: faces, masks and candidates, asked for by pages, made by workers."""
