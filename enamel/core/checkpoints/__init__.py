"""An artist's own latent diffusion checkpoints: looked at, loaded, asked. Needs ``enamel[checkpoints]``."""

__all__ = [
    "adapters",
    "asking",
    "devices",
    "folder",
    "intake",
    "latent",
    "loading",
    "own",
    "probe",
    "prompts",
    "tensors",
]
