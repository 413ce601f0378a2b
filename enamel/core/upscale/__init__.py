"""Upscalers: interpolation and trained models behind one interface."""

from enamel.core.upscale.enlarge import Enlarged, Upscaler, mixed
from enamel.core.upscale.registry import chosen, upscaler, upscaler_names

__all__ = ["Enlarged", "Upscaler", "chosen", "mixed", "upscaler", "upscaler_names"]
