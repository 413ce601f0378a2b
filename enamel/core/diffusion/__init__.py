"""Noise, noise levels, samplers and the networks that remove noise."""

__all__ = [
    "denoiser",
    "noise",
    "onnx",
    "predictions",
    "probe",
    "refiners",
    "samplers",
    "sigmas",
]
