"""Pieces: brought in, on their way in, split, copied, thrown away."""

__all__ = ["arrivals", "bringing"]
