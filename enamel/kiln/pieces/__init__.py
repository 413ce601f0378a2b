"""Pieces: imported, on their way in, split, copied, deleted."""
