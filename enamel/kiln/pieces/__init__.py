"""Pieces: brought in, on their way in, split, copied, thrown away."""
