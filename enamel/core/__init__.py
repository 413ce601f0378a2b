"""The job itself: pictures in, tiled diffusion refinement, print files out. No Django, no HTTP, no SQL."""

ENGINE_VERSION = "7"
"""Part of every layer's address. Raise it when the same recipe would give other pixels."""
