"""Touch-ups and inlays: faces, masks and candidates, asked for by pages, made by workers."""

__all__ = ["addresses", "asking", "faces", "inlays", "masks", "running"]
