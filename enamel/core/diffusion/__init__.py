"""Noise, noise levels, samplers and the networks that remove noise."""
