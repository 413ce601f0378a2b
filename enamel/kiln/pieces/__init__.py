"""Pieces: imported, on their way in, split, copied, deleted."""

__all__ = ["arrivals", "bringing"]
