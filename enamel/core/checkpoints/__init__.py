"""An artist's own latent diffusion checkpoints: looked at, loaded, asked. Needs ``enamel[checkpoints]``."""
