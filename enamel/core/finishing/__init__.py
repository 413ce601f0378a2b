"""Finishes: tone, colour, sharpening, noise and grain after the coats. Windows have the same bits as the
whole.
"""
