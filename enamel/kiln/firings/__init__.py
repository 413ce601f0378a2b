"""Firings: asked for by pages, run by workers."""

__all__ = ["asking", "order", "queue", "running"]
