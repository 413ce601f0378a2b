"""Finishes: tone, colour, sharpening, noise and grain after the coats."""
