"""Firings: asked for by pages, run by workers."""
