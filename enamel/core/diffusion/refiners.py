"""Refiners by name: networks in ONNX files, and artists' own checkpoints."""

from enamel.core.checkpoints import own
from enamel.core.diffusion.denoiser import Denoiser
from enamel.core.diffusion.onnx import verified
from enamel.core.networks.cards import CheckpointCard, card
from enamel.core.schedule import Kit, Refine


def refiner(name: str, digest: str | None = None, kit: Kit | None = None) -> Denoiser:
    """Return the refiner of that name, with adapters, guide and VAE of its kit.

    Raises
    ------
    Refusal
        When there is none, or one of its files is missing or has changed.
    """
    entry = card(name, "refiner")
    if isinstance(entry, CheckpointCard):
        return own.refiner(entry, digest, kit)
    return verified(entry, digest)


def refiner_of(refine: Refine) -> Denoiser:
    """Return the refiner that a refinement names."""
    return refiner(refine.model, kit=refine.kit)
