"""Upscalers: interpolation and trained models behind one interface."""

from enamel.core.upscaling.enlarge import Enlarged, Upscaler, mixed, reach_of
from enamel.core.upscaling.registry import chosen, upscaler, upscaler_names

__all__ = ["Enlarged", "Upscaler", "chosen", "mixed", "reach_of", "upscaler", "upscaler_names"]
