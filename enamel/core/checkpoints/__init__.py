"""Artists' own latent diffusion checkpoints: examined, loaded, evaluated. Needs ``enamel[checkpoints]``."""
