"""The computation: pictures in, tiled diffusion refinement, print files out. No Django, no HTTP, no SQL."""

ENGINE_VERSION = "7"
"""Part of every content key. Raise it when the same recipe would give different pixels."""
